import { expect, test } from 'vitest';
import { duration, momentWords } from './words';

test.each([
  [0, '0 s'],
  [0.0000025, '2.5 µs'],
  [0.056006, '0.056 s'],
  [1.05, '1.05 s'],
  [39.096, '39.1 s'],
  [252, '4 min 12 s'],
  [3725, '1 h 2 min'],
])('%f seconds are %s', (s, words) => expect(duration(s)).toBe(words));

test('moments are told by their action', () => {
  const actions = [
    { seq: 1, action: 'apply', start: 0 },
    { seq: 2, action: 'cut viaduct.e2', start: 11 },
  ];
  expect(momentWords('before-2', actions)).toBe('before cut viaduct.e2');
  expect(momentWords('11.05', actions)).toBe('0.05 s after cut viaduct.e2');
  expect(momentWords('now', actions)).toBe('now');
});
