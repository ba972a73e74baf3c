import type { Change } from '../api/client';

/** What a change does to its subject: "added", "10 -> 40", "no longer passive". */
export function changeWords(c: Change): string {
  const value = c.kind === 'added' ? c.to : c.from;
  if (c.kind !== 'changed' && (!c.what || !value)) return c.kind;
  if (!c.from) return c.to ?? '';
  return c.to ? `${c.from} -> ${c.to}` : `no longer ${c.from}`;
}
