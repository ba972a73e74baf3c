import { expect, test } from 'vitest';
import { duration } from '../../shared/parts/words';
import { moved, tickWords, zoomed } from './zoom';

const whole = { from: 10, to: 50 };

test('zooming keeps the time under the pointer where it is, and stays within the whole', () => {
  expect(zoomed(whole, whole, 20, 2)).toEqual({ from: 15, to: 35 });
  expect(zoomed(whole, { from: 15, to: 35 }, 20, 0.5)).toEqual(whole);
  expect(zoomed(whole, whole, 10, 2)).toEqual({ from: 10, to: 30 });
  const deep = zoomed(whole, whole, 38.4, 1e20);
  expect(deep.to - deep.from).toBeCloseTo(1e-8, 9);
});

test('moving stops at the ends', () => {
  expect(moved(whole, { from: 15, to: 25 }, 0.5)).toEqual({ from: 20, to: 30 });
  expect(moved(whole, { from: 15, to: 25 }, -3)).toEqual({ from: 10, to: 20 });
  expect(moved(whole, { from: 15, to: 25 }, 9)).toEqual({ from: 40, to: 50 });
});

test('no two ticks say the same', () => {
  expect(tickWords([0, 1, 2], duration)).toEqual(['0 s', '1 s', '2 s']);
  expect(tickWords([38.41, 38.42, 38.43], duration)).toEqual(['38.41 s', '38.42 s', '38.43 s']);
  expect(new Set(tickWords([38.4100001, 38.4100002], duration)).size).toBe(2);
});
