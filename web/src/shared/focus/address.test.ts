import { expect, test } from 'vitest';
import { isAddress } from './address';

test('only prefixes and addresses are asked for', () => {
  expect(['10.0.0.0/8', '10.0.0.1'].every(isAddress)).toBe(true);
  expect(['', 'viaduct', 'flow tickets', '10.0.0', '10.0.0.0/'].some(isAddress)).toBe(false);
});
