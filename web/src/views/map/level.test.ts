import { expect, test } from 'vitest';
import { levelOf, spacingOf } from './level';

test('cards become names and then dots, the sooner the closer they are', () => {
  expect([1.15, 0.95, 0.8, 0.6, 0.4, 0.1].map((z) => levelOf(z, 200))).toEqual([
    'cards',
    'cards',
    'addresses',
    'names',
    'names',
    'dots',
  ]);
  expect(levelOf(0.4, 100)).toBe('dots');
});

test('the room between cards is that of most of them', () => {
  const row = [0, 200, 400, 600, 610].map((x) => ({ x, y: 0 }));
  expect(spacingOf(row)).toBe(10);
  expect(spacingOf(row.slice(0, 4))).toBe(200);
  expect(spacingOf([{ x: 0, y: 0 }])).toBe(Infinity);
});
