import { useQueries, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { TableLine } from '../../shared/api/client';
import { ask, type TableChosen } from '../../shared/api/questions';
import { pagesOf, type Range } from '../../shared/parts/pages';

/** How many lines are asked for at once. */
export const pageLines = 60;

export interface TableShown extends TableChosen {
  /** What rows are grouped by, '' for nothing. */
  by: string;
}

/** The first part of a table: it says what there is. */
export const useFirst = (id: string, when: string, shown: TableShown) =>
  useQuery(ask.pathTable(id, when, { ...shown, offset: 0, limit: pageLines }));

/** The lines of a table that are in sight, by their place: what is scrolled to is asked for. */
export function useTable(id: string, when: string, shown: TableShown, lines: Range) {
  const parts = useQueries({
    queries: pagesOf(lines, pageLines).map((p) =>
      ask.pathTable(id, when, { ...shown, offset: p * pageLines, limit: pageLines }),
    ),
    combine: (answers) => answers.map((a) => (a.isPlaceholderData ? undefined : a.data)),
  });
  return useMemo(() => {
    const found = new Map<number, TableLine>();
    for (const part of parts) part?.part.forEach((line, i) => found.set(part.offset + i, line));
    return found;
  }, [parts]);
}
