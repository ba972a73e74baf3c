import { expect, test } from 'vitest';
import { pagesOf } from './pages';

test('pages are those that something in sight is on', () => {
  expect(pagesOf({ first: 0, last: -1 }, 50)).toEqual([]);
  expect(pagesOf({ first: 0, last: 0 }, 50)).toEqual([0]);
  expect(pagesOf({ first: 10, last: 49 }, 50)).toEqual([0]);
  expect(pagesOf({ first: 49, last: 50 }, 50)).toEqual([0, 1]);
  expect(pagesOf({ first: 120, last: 260 }, 50)).toEqual([2, 3, 4, 5]);
});
