// @vitest-environment jsdom
import { renderHook } from '@testing-library/react';
import { expect, test } from 'vitest';
import { useSame } from './same';

test('what is as before stays the same object, and what is not is new', () => {
  const choose = () => undefined;
  const list = (cost: number) => [
    { id: 'a', data: { cost: 10, ends: ['x'], choose } },
    { id: 'b', data: { cost, ends: ['y'], choose } },
  ];
  const { result, rerender } = renderHook(({ cost }) => useSame(list(cost)), { initialProps: { cost: 1 } });
  const first = result.current;
  rerender({ cost: 1 });
  expect(result.current).toBe(first);
  rerender({ cost: 2 });
  expect(result.current[0]).toBe(first[0]);
  expect(result.current[1]).not.toBe(first[1]);
  expect(result.current[1]?.data.ends).toBe(first[1]?.data.ends);
  expect(result.current).toEqual(list(2));
});
