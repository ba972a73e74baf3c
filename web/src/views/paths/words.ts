import type { Attributes } from '../../shared/api/client';

/** The AS path, or words for none. */
export const pathWords = (a: Attributes | undefined) =>
  !a ? '' : a.asPath === '' ? 'no AS' : `AS ${a.asPath}`;

/** What counts of a path in one line, beside its AS path. */
export function details(a: Attributes, cost?: number): string {
  const parts: string[] = [];
  if (a.nextHop) parts.push(`next hop ${a.nextHop}${a.nextHopOf ? ` (${a.nextHopOf})` : ''}`);
  if (cost !== undefined && cost > 0) parts.push(`interior cost ${cost}`);
  if (a.localPref !== undefined) parts.push(`local preference ${a.localPref}`);
  if (a.med !== undefined) parts.push(`MED ${a.med}`);
  if (a.origin !== 'igp') parts.push(`origin ${a.origin}`);
  if (a.communities.length > 0) parts.push(`communities ${a.communities.join(' ')}`);
  if (a.originator) parts.push(`originator ${a.originator}`);
  if (a.clusters.length > 0) parts.push(`clusters ${a.clusters.join(' ')}`);
  if (a.aggregator) parts.push(`aggregated by ${a.aggregator}${a.atomic ? ', atomic' : ''}`);
  if (a.unknown.length > 0) parts.push(`unknown: ${a.unknown.join('; ')}`);
  return parts.join(' · ');
}

/** The attributes as rows of a name and a value. */
export function attributeRows(a: Attributes): [string, string][] {
  const rows: [string, string][] = [
    ['AS path', a.asPath === '' ? 'none' : a.asPath],
    ['next hop', a.nextHop ? `${a.nextHop}${a.nextHopOf ? ` (${a.nextHopOf})` : ''}` : 'itself'],
    ['local preference', a.localPref === undefined ? '' : String(a.localPref)],
    ['MED', a.med === undefined ? '' : String(a.med)],
    ['origin', a.origin],
    ['communities', a.communities.join(' ')],
    ['originator', a.originator ?? ''],
    ['cluster list', a.clusters.join(' ')],
    ['aggregator', a.aggregator ? `${a.aggregator}${a.atomic ? ', atomic' : ''}` : ''],
    ['unknown', a.unknown.join('; ')],
  ];
  return rows;
}

/** Rows as a prefix set of the lab language. */
export function prefixSet(name: string, prefixes: string[]): string {
  return `prefix-set ${name}\n${prefixes.map((p) => `  ${p}\n`).join('')}`;
}

/** How rows are grouped. */
export const groupings = [
  'nothing',
  'next hop',
  'next-hop router',
  'neighbouring AS',
  'origin AS',
  'outcome',
] as const;
export type Grouping = (typeof groupings)[number];
