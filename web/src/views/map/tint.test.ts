import { expect, test } from 'vitest';
import { areaTint, tinted } from './tint';

test('the backbone has its own tint, neighbouring numbers have different ones', () => {
  expect(areaTint('0')).toBe('sage');
  expect(new Set(['1', '2', '3', '4'].map(areaTint)).size).toBe(4);
  expect(areaTint('0.0.1.1')).toBe(areaTint('257'));
});

test('a border router shows the tints of all its areas', () => {
  expect(tinted([])).toBe('var(--chakra-colors-raised)');
  expect(tinted(['0', '1'])).toBe(
    'linear-gradient(90deg, var(--chakra-colors-sage) 0% 50%, var(--chakra-colors-mauve) 50% 100%)',
  );
});
