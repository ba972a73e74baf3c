import { expect, test } from 'vitest';
import { turnLevel } from './turn';

const card = (id: string, x: number, y: number) => ({ id, x, y, width: 0, height: 0 });

test('a chain that stands upright is laid level, with its distances kept', () => {
  const out = turnLevel([card('a', 0, 0), card('b', 0, 100), card('c', 0, 300)]);
  expect(Math.abs((out.a?.y ?? 9) - (out.c?.y ?? 0))).toBeLessThan(1e-9);
  expect(Math.abs((out.a?.x ?? 0) - (out.c?.x ?? 0))).toBeCloseTo(300);
  expect(Math.abs((out.a?.x ?? 0) - (out.b?.x ?? 0))).toBeCloseTo(100);
});

test('cards are turned around their middles', () => {
  const out = turnLevel([
    { id: 'wide', x: 0, y: 0, width: 100, height: 20 },
    { id: 'small', x: 40, y: 200, width: 20, height: 20 },
  ]);
  const middle = (id: string, w: number, h: number) => ({
    x: (out[id]?.x ?? 0) + w / 2,
    y: (out[id]?.y ?? 0) + h / 2,
  });
  expect(middle('wide', 100, 20).y).toBeCloseTo(middle('small', 20, 20).y);
});
