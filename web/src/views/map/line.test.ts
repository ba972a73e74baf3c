import { expect, test } from 'vitest';
import { along, besideEnd, lineBetween, markOn, reversed } from './line';

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

test('a mark is on its line where it fits between the cards, else beside them', () => {
  expect(markOn({ x1: 0, y1: 0, x2: 200, y2: 0 }, 100, 20)).toEqual({ x: 100, y: 0 });
  // Two cards side by side: below both.
  expect(markOn({ x1: 0, y1: 10, x2: 60, y2: 10 }, 100, 20)).toEqual({ x: 30, y: 46 });
  // One card close above another: to their right.
  expect(markOn({ x1: 5, y1: 0, x2: 5, y2: 12 }, 100, 20)).toEqual({ x: 127, y: 6 });
});

test('a cost is beside its end where it covers neither card, whichever way the line goes', () => {
  const card = { width: 136, height: 44 };
  const near = { x: 0, y: 0, ...card };
  let none = 0;
  for (let angle = 0; angle < 360; angle += 5)
    for (const distance of [120, 160, 240, 400]) {
      const turn = (angle * Math.PI) / 180;
      const far = { x: distance * Math.cos(turn), y: distance * Math.sin(turn), ...card };
      const apart = Math.abs(far.x) > card.width + 60 || Math.abs(far.y) > card.height + 60;
      const l = lineBetween(near, far, 0);
      for (const way of [l, reversed(l)]) {
        const at = besideEnd(way, [near, far], 20, 20);
        if (!at) {
          none++;
          expect(apart).toBe(false);
          continue;
        }
        for (const c of [near, far]) {
          const clear =
            at.x + 10 <= c.x || at.x - 10 >= c.x + c.width || at.y + 10 <= c.y || at.y - 10 >= c.y + c.height;
          expect(clear).toBe(true);
        }
      }
    }
  expect(none).toBeGreaterThan(0);
});
