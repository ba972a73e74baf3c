import { expect, test } from 'vitest';
import { along, lineBetween } from './line';

const a = { x: 0, y: 0, width: 100, height: 40 };
const b = { x: 300, y: 0, width: 100, height: 40 };

test('a line goes from border to border', () => {
  expect(lineBetween(a, b, 0)).toEqual({ x1: 100, y1: 20, x2: 300, y2: 20 });
});

test('several lines between two cards stand side by side', () => {
  const ys = [0, 1, 2].map((n) => lineBetween(a, b, n).y1);
  expect(new Set(ys).size).toBe(3);
});

test('a label stands beside its end, and never beyond the middle', () => {
  const l = lineBetween(a, b, 0);
  expect(along(l, 20, 8)).toEqual({ x: 120, y: 28 });
  expect(along(l, 500, 0).x).toBe(180);
});
