import type { Hunt, Occurrence } from '../api/client';

type Chosen = Hunt['routers'][number]['bests'][number];

/** A best path in a few words. */
export const pathWords = (c: Chosen) =>
  c.none
    ? 'no path'
    : c.from === undefined
      ? 'its own path'
      : c.asPath === ''
        ? `from ${c.from}`
        : `${c.asPath} from ${c.from}`;

/** The best paths that routers choose, as events on them; what they had at first is none. */
export const huntEvents = (h: Hunt): Occurrence[] =>
  h.routers
    .flatMap((r) =>
      r.bests.slice(1).map((c) => ({
        at: c.at,
        device: r.router.split('/')[0] ?? r.router,
        lane: 'updates' as const,
        word: c.none ? 'no path' : c.asPath || 'own path',
        text: `best path: ${pathWords(c)}`,
        about: h.prefix,
      })),
    )
    .sort((a, b) => a.at - b.at);

/** The events of both lists, by time. */
export const merged = (a: Occurrence[], b: Occurrence[]) =>
  b.length === 0 ? a : [...a, ...b].sort((x, y) => x.at - y.at);
