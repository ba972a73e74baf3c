import { expect, test } from 'vitest';
import { share } from './share';

test('a share says all and nothing only of all and nothing', () => {
  expect([0, 0.25, 1].map(share)).toEqual(['0 %', '25 %', '100 %']);
  expect(share(0.99997)).toBe('99.997 %');
  expect(share(0.0004)).toBe('0.04 %');
  expect(share(1 - 1e-12)).toBe('nearly all');
});
