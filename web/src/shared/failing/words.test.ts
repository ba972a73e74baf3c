import { expect, test } from 'vitest';
import type { SweepRow, Within } from '../api/client';
import { cellWords, leftWords, progressWords, withinWords } from './words';

const sweep = (s: Partial<SweepRow>): SweepRow => ({
  id: '0',
  actions: 1,
  draft: false,
  kinds: [],
  own: [],
  depth: 1,
  budget: 0,
  state: 'running',
  error: '',
  total: 40,
  tried: 10,
  left: null,
  created: '2026-11-30T12:00:00Z',
  ended: null,
  ...s,
});

test('how far a sweep is', () => {
  expect(progressWords(sweep({ state: 'preparing', total: 0, tried: 0 }))).toBe('finding out what can fail');
  expect(progressWords(sweep({}))).toBe('10 of 40 failures');
  expect(progressWords(sweep({ left: 7.2 }))).toBe('10 of 40 failures, about 8 s left');
  expect(progressWords(sweep({ state: 'stopped' }))).toBe('stopped after 10 of 40 failures');
  expect(progressWords(sweep({ state: 'stopped', total: 0, tried: 0 }))).toBe('stopped');
  expect(progressWords(sweep({ state: 'done', tried: 40 }))).toBe('40 failures tried');
  expect(progressWords(sweep({ state: 'done', depth: 2, total: 820, tried: 790 }))).toBe(
    '790 failures and pairs tried',
  );
  expect(progressWords(sweep({ state: 'failed', error: 'the network is not at rest' }))).toBe(
    'the network is not at rest',
  );
});

test('time that is left is no more exact than it is known', () => {
  expect([0.1, 1.4, 3.2, 9.1, 11, 61, 200].map(leftWords)).toEqual([
    '1 s',
    '1 s',
    '4 s',
    '10 s',
    '15 s',
    '65 s',
    '4 min',
  ]);
});

test('what a draft makes of failures', () => {
  const within = (w: Partial<Within>): Within => ({
    worse: 0,
    better: 0,
    same: 0,
    changes: [],
    tried: 9,
    of: 9,
    ...w,
  });
  expect(withinWords(within({}))).toBe('No failure becomes worse or better');
  expect(withinWords(within({ worse: 1, better: 2 }))).toBe('1 failure becomes worse, 2 better');
  expect(withinWords(within({ worse: 3 }))).toBe('3 failures become worse, 0 better');
  expect(withinWords(within({ better: 1, tried: 4 }))).toBe(
    'No failure becomes worse, 1 better of the 4 that were tried, of 9',
  );
});

test('what becomes of a flow, as short as a cell', () => {
  const flow = { name: 'tickets', lost: false, out: 0, cause: '' };
  expect(cellWords(undefined)).toBe('');
  expect(cellWords({ ...flow, lost: true, out: 3 })).toBe('lost');
  expect(cellWords({ ...flow, repaired: true })).toBe('arrives');
  expect(cellWords({ ...flow, out: 0.0521 })).toBe('0.052 s');
});
