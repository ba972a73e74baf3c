import { useQuery } from '@tanstack/react-query';
import type { TableLine } from '../../shared/api/client';
import { ask, type TableChosen } from '../../shared/api/questions';
import { useParts } from '../../shared/api/useParts';
import type { Range } from '../../shared/parts/pages';

/** How many lines are asked for at once. */
export const pageLines = 60;

export interface TableShown extends TableChosen {
  /** What rows are grouped by, '' for nothing. */
  by: string;
}

const part = (id: string, when: string, shown: TableShown) => (offset: number, limit: number) =>
  ask.pathTable(id, when, { ...shown, offset, limit });

/** The first part of a table: it says what there is. */
export const useFirst = (id: string, when: string, shown: TableShown) =>
  useQuery(part(id, when, shown)(0, pageLines));

/** The lines of a table that are in sight, by their place. */
export const useTable = (id: string, when: string, shown: TableShown, lines: Range): Map<number, TableLine> =>
  useParts(lines, pageLines, part(id, when, shown), (d) => d.part);
