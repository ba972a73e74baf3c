import type { MapEnd, MapLink, MapVirtual } from '../../shared/api/client';

/** What is wrong with a link, or with one end of a segment, in words; '' if nothing is. */
export function faultWords(link: MapLink, end?: MapEnd): string {
  if (link.kind === 'segment') return !end || end.up ? '' : (end.why ?? 'down');
  if (link.cut) return 'cut, no carrier';
  const silent = link.ends.filter((e) => e.silent);
  if (silent.length > 1) return 'silent, packets vanish';
  if (silent[0]) return `packets from ${silent[0].device} vanish`;
  const down = link.ends.find((e) => !e.up);
  return down ? (down.why ?? 'down') : '';
}

/** What the mark on it says: a device that is off says so on its card, and not on each of its links again. */
export function markWords(link: MapLink, end?: MapEnd): string {
  const ends = link.kind === 'segment' ? (end ? [end] : []) : link.ends;
  const off = ends.some((e) => ['device-disabled', 'far-device-disabled'].includes(e.code ?? ''));
  return off && !link.cut ? '' : faultWords(link, end);
}

/** The same in a word, where there is no room for more. */
export function shortMarkWords(link: MapLink, end?: MapEnd): string {
  if (markWords(link, end) === '') return '';
  if (link.cut) return 'cut';
  return link.ends.some((e) => e.silent) ? 'silent' : 'down';
}

/** The cost at a link's end, after its role on a segment; '' if there is none. */
export function endWords(end: MapEnd | undefined): string {
  if (!end?.cost) return '';
  return `${roleWords(end)} ${end.cost}`.trim();
}

export const roleWords = (end: MapEnd) => (end.role === 'DR' || end.role === 'Backup' ? end.role : '');

/** A session that is not up: its state, and why in the first clause of it. */
export const sessionWords = (s: { state: string; why?: string | undefined }) =>
  s.why ? `${s.state}: ${s.why.split(';')[0] ?? ''}` : s.state;

export const virtualWords = (v: MapVirtual) => `virtual, area ${v.area}${v.up ? '' : `: ${v.state}`}`;
