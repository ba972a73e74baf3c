import { expect, test } from 'vitest';
import type { Neighbour } from '../../shared/api/client';
import { metWords } from './met';

const pair = (a: string, b: string, state: string, absent = false) =>
  ({
    a: { device: a, port: 'yard', state },
    b: { device: b, port: 'yard', state, absent },
  }) as unknown as Neighbour;

test('each neighbour of a port with the state that this end is in', () => {
  const rows = [pair('depot', 'mill', 'Full'), pair('ford', 'mill', '2-Way'), pair('halt', 'mill', 'Full')];
  expect(metWords('mill.yard', rows)).toBe(', Full with depot, halt; 2-Way with ford');
  expect(metWords('ford.yard', rows)).toBe(', 2-Way with mill');
  expect(metWords('weir.yard', rows)).toBe('');
  expect(metWords('mill.yard', [pair('mill', '', 'Down', true)])).toBe('');
});
