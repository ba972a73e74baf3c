import type { Borders, Crossing } from '../../shared/api/client';

/** What crosses in one direction, now and before. */
export interface CellPair {
  now: Crossing | undefined;
  before: Crossing | undefined;
  differs: boolean;
}

export interface Across {
  columns: { as: number; name: string }[];
  rows: {
    prefix: string;
    differs: boolean;
    cells: { received: CellPair; sent: CellPair; differs: boolean }[];
  }[];
}

/** The matrix of now, beside that of another moment if there is one: all that either has, and where they differ. */
export function across(now: Borders, before: Borders | undefined): Across {
  const columns = [...now.neighbours];
  for (const n of before?.neighbours ?? []) if (!columns.some((c) => c.as === n.as)) columns.push(n);
  columns.sort((a, b) => a.as - b.as);
  const prefixes = now.rows.map((r) => r.prefix);
  const known = new Set(prefixes);
  for (const r of before?.rows ?? []) if (!known.has(r.prefix)) prefixes.push(r.prefix);
  const find = (m: Borders | undefined) => {
    const at = new Map(m?.rows.map((r) => [r.prefix, r.cells]));
    const number = new Map(m?.neighbours.map((n, i) => [n.as, i]));
    return (prefix: string, as: number) => at.get(prefix)?.[number.get(as) ?? -1];
  };
  const [is, was] = [find(now), find(before)];
  const pair = (a: Crossing | undefined, b: Crossing | undefined): CellPair => ({
    now: a,
    before: b,
    differs: before !== undefined && words(a) !== words(b),
  });
  return {
    columns,
    rows: prefixes.map((prefix) => {
      const cells = columns.map((c) => {
        const [a, b] = [is(prefix, c.as), was(prefix, c.as)];
        const received = pair(a?.received, b?.received);
        const sent = pair(a?.sent, b?.sent);
        return { received, sent, differs: received.differs || sent.differs };
      });
      return { prefix, cells, differs: cells.some((c) => c.differs) };
    }),
  };
}

const words = (c: Crossing | undefined) => (c ? `${c.path} ${c.state} ${c.sessions} ${c.by.join(' ')}` : '');
