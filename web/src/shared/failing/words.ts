import type { FlowImpact, SweepRow, Within } from '../api/client';
import { duration, plural } from '../parts/words';

export type Harm = 'for good' | 'for a time' | 'none';

/** How harm looks; the mark says it without colour. */
export const looks: Record<Harm, { color: string; soft: string; mark: string; words: string }> = {
  'for good': { color: 'brick', soft: 'brickSoft', mark: '■', words: 'lost for good' },
  'for a time': { color: 'ochre', soft: 'ochreSoft', mark: '◧', words: 'out for a time' },
  none: { color: 'leaf', soft: 'leafSoft', mark: '□', words: 'not noticed' },
};

/** The kinds of failures that can be tried, in the order of the server. */
export const kinds: (readonly [string, string])[] = [
  ['link', 'links, cut'],
  ['silence', 'links and segments, silent'],
  ['router', 'routers'],
  ['port', 'ports on segments'],
  ['segment', 'segments'],
  ['session', 'BGP sessions'],
  ['group', 'risk groups'],
  ['maintenance', 'maintenance: drained first'],
  ['one-way', 'links, silent one way'],
];

/** What becomes of a flow, as short as a cell. */
export const cellWords = (f: FlowImpact | undefined) =>
  f === undefined ? '' : f.lost ? 'lost' : f.repaired ? 'arrives' : duration(f.out);

/** How far a sweep is. */
export function progressWords(s: SweepRow): string {
  const failures = (n: number) => (s.depth === 2 ? `${n} failures and pairs` : plural(n, 'failure'));
  const tried = `${s.tried} of ${failures(s.total)}`;
  switch (s.state) {
    case 'preparing':
      return 'finding out what can fail';
    case 'running':
      return s.left == null ? tried : `${tried}, about ${leftWords(s.left)} left`;
    case 'stopped':
      return s.total === 0 ? 'stopped' : `stopped after ${tried}`;
    case 'failed':
      return s.error;
    case 'done':
      return `${failures(s.tried)} tried`;
  }
}

/** A time that is left: no more exact than it is known. */
export const leftWords = (s: number) =>
  s < 1.5
    ? '1 s'
    : s < 10
      ? `${Math.ceil(s)} s`
      : s < 120
        ? `${5 * Math.ceil(s / 5)} s`
        : `${Math.ceil(s / 60)} min`;

/** What a sweep is of, in a list of sweeps. */
export function sweepWords(s: SweepRow): string {
  const of = s.own.length > 0 ? 'own list' : s.kinds.length > 0 ? s.kinds.join(', ') : 'all';
  const when = s.draft ? `draft on action ${s.actions}` : `after action ${s.actions}`;
  const time = new Date(s.created).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' });
  return `${time} · ${of}${s.depth === 2 ? (s.budget > 0 ? `, ${s.budget} pairs` : ', in pairs') : ''} · ${when}`;
}

export type Turn = 'worse' | 'better' | 'new' | 'gone';

export const turns: Record<Turn, { color: string; words: string }> = {
  worse: { color: 'brick', words: 'worse' },
  new: { color: 'ochre', words: 'new' },
  better: { color: 'leaf', words: 'better' },
  gone: { color: 'quiet', words: 'gone' },
};

/** What a draft makes of the failures, as far as they were tried. */
export function withinWords(w: Within): string {
  const tried = w.tried < w.of ? ` of the ${w.tried} that were tried, of ${w.of}` : '';
  if (w.worse === 0 && w.better === 0) return `No failure becomes worse or better${tried}`;
  const worse =
    w.worse === 0
      ? 'No failure becomes worse'
      : `${plural(w.worse, 'failure')} become${w.worse === 1 ? 's' : ''} worse`;
  return `${worse}, ${w.better} better${tried}`;
}
