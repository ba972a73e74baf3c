import { expect, test } from 'vitest';
import { makeScale, ticks } from './scale';

test('without long gaps the scale is linear', () => {
  const s = makeScale(10, 20, [11, 12, 13, 14, 15, 16, 17, 18, 19]);
  expect(s.folds).toEqual([]);
  expect(s.place(15)).toBeCloseTo(0.5);
  expect(s.time(0.25)).toBeCloseTo(12.5);
});

test('a long quiet stretch is folded, and time and place stay each other’s reverse', () => {
  const s = makeScale(0, 40.2, [0.01, 0.02, 40.0, 40.05, 40.1]);
  expect(s.folds).toHaveLength(1);
  expect(s.folds[0]?.seconds).toBeCloseTo(39.98);
  expect(s.place(40.1) - s.place(40.0)).toBeGreaterThan(0.3);
  for (const t of [0, 0.015, 20, 40.02, 40.2]) expect(s.time(s.place(t))).toBeCloseTo(t, 9);
  let before = -1;
  for (let t = 0; t <= 40.2; t += 0.05) {
    expect(s.place(t)).toBeGreaterThanOrEqual(before);
    before = s.place(t);
  }
});

test('ticks are distinct and inside', () => {
  const s = makeScale(100, 140, [100.1, 139.9]);
  const t = ticks(s, 100, 6);
  expect(new Set(t).size).toBe(t.length);
  for (const x of t) expect(x).toBeGreaterThanOrEqual(0);
});
