import { useQueries, type QueryKey, type UseQueryOptions, type UseQueryResult } from '@tanstack/react-query';
import { useMemo } from 'react';
import { pagesOf, type Range } from '../parts/pages';

/** A part of a long list is asked for by the place of its first row, and how many rows it may have. */
export type PartOf<D, K extends QueryKey> = (
  offset: number,
  limit: number,
) => UseQueryOptions<D, Error, D, K>;

// The same function each time: what it gives is the same then, too, as long as the answers are.
const dataOf = <D>(answers: UseQueryResult<D>[]) =>
  answers.map((a) => (a.isPlaceholderData ? undefined : a.data));

/** The rows of a long list that are in sight, by their place: what is scrolled to is asked for, in parts of a size. */
export function useParts<D extends { offset: number }, R, K extends QueryKey>(
  sight: Range,
  size: number,
  part: PartOf<D, K>,
  rows: (d: D) => R[],
): Map<number, R> {
  const parts = useQueries({
    queries: pagesOf(sight, size).map((p) => part(p * size, size)),
    combine: dataOf<D>,
  });
  return useMemo(() => {
    const found = new Map<number, R>();
    for (const d of parts) if (d) rows(d).forEach((row, i) => found.set(d.offset + i, row));
    return found;
    // rows is the same function for the same list.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [parts]);
}
