import { expect, test } from 'vitest';
import type { Change } from '../api/client';
import { changeWords } from './changes';

const change = (c: Partial<Change>) => changeWords({ kind: 'changed', subject: 'mill.e1', effect: '', ...c });

test('what came, went and changed, with and without a value', () => {
  expect(change({ kind: 'added', subject: 'link mill.e1 halt.e1' })).toBe('added');
  expect(change({ kind: 'removed', subject: 'key-chain depot' })).toBe('removed');
  expect(change({ kind: 'added', what: 'ospf cost', to: '40' })).toBe('40');
  expect(change({ kind: 'removed', what: 'ospf cost', from: '40' })).toBe('no longer 40');
  expect(change({ what: 'ospf cost', from: '10', to: '40' })).toBe('10 -> 40');
});
