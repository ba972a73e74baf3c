import { useQueries, useQuery, type UseQueryResult } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { RouteRow, Routes } from '../../shared/api/client';
import { ask, type RoutesChosen } from '../../shared/api/questions';
import { pagesOf, type Range } from '../../shared/parts/pages';

/** How many rows, and how many columns, are asked for at once. */
export const pageRows = 50;
export const pageColumns = 25;

export interface RoutesShown extends RoutesChosen {
  grouped?: boolean;
  of?: string;
}

/** The first part of the routes that are chosen: it says what there is. */
export const useFirst = (id: string, when: string, chosen: RoutesShown) =>
  useQuery(ask.routes(id, when, { ...chosen, offset: 0, limit: pageRows, column: 0, columns: pageColumns }));

// The same function each time: what it gives is the same then, too, as long as the answers are.
const dataOf = (answers: UseQueryResult<Routes>[]) => answers.map((a) => a.data);

/** The routes that are in sight, by row: what is scrolled to is asked for. */
export function useRoutes(id: string, when: string, chosen: RoutesShown, rows: Range, columns: Range) {
  const wanted = pagesOf(rows, pageRows).flatMap((r) => pagesOf(columns, pageColumns).map((c) => ({ r, c })));
  const parts = useQueries({
    queries: wanted.map(({ r, c }) =>
      ask.routes(id, when, {
        ...chosen,
        offset: r * pageRows,
        limit: pageRows,
        column: c * pageColumns,
        columns: pageColumns,
      }),
    ),
    combine: dataOf,
  });
  return useMemo(() => {
    const found = new Map<number, RouteRow>();
    for (const part of parts)
      part?.rows.forEach((row, i) => {
        const at = part.offset + i;
        const before = found.get(at);
        found.set(at, before ? { ...row, cells: { ...before.cells, ...row.cells } } : row);
      });
    return found;
  }, [parts]);
}
