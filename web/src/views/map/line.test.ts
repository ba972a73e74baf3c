import { expect, test } from 'vitest';
import { along, costPlaces, lineBetween, markPlaces } from './line';

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

test('a mark is on its line first, then beside it, then beyond the cards', () => {
  const at = markPlaces({ x1: 0, y1: 0, x2: 200, y2: 0 }, 100, 20);
  expect(at[0]).toEqual({ x: 100, y: 0 });
  expect(at).toContainEqual({ x: 100, y: 16 });
  expect(at).toContainEqual({ x: 100, y: -16 });
  // One card close above another: to their right.
  expect(markPlaces({ x1: 5, y1: 0, x2: 5, y2: 12 }, 100, 20)).toContainEqual({ x: 127, y: 6 });
});

test('a cost is beside its end, on either side, and further on if it must', () => {
  const at = costPlaces({ x1: 0, y1: 0, x2: 400, y2: 0 });
  expect(at.slice(0, 2)).toEqual([
    { x: 22, y: 10 },
    { x: 22, y: -10 },
  ]);
  expect(at.at(-1)?.x).toBe(84);
});
