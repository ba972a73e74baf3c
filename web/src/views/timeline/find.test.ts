import { expect, test } from 'vitest';
import { matches } from './find';

test('all words count, of the text or the device, in any case', () => {
  expect(matches('neighbour halt on e1: Full to Down', 'mill', 'MILL down')).toBe(true);
  expect(matches('neighbour halt on e1: Full to Down', 'mill', 'mill up')).toBe(false);
  expect(matches('anything', 'mill', '  ')).toBe(true);
});
