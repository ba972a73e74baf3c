import { expect, test } from 'vitest';
import { duration } from './words';

test.each([
  [0, '0 s'],
  [0.0000025, '2.5 µs'],
  [0.056006, '0.056 s'],
  [1.05, '1.05 s'],
  [39.096, '39.1 s'],
  [252, '4 min 12 s'],
  [3725, '1 h 2 min'],
])('%f seconds are %s', (s, words) => expect(duration(s)).toBe(words));
