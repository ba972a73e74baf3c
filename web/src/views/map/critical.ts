import type { CriticalPlace, MapData } from '../../shared/api/client';
import { portName } from '../../shared/focus/focus';
import { segmentId } from './graph';

/** How critical things are, by the id of the link or of the card. */
export type Critical = Map<string, CriticalPlace>;

/** Where on the map the links, routers and segments of a sweep are. */
export function criticalOf(map: MapData, places: CriticalPlace[]): Critical {
  const out: Critical = new Map();
  const atPort = new Map(map.links.flatMap((l) => l.ends.map((e) => [portName(e), l] as const)));
  for (const p of places) {
    const first = p.places[0];
    if (first === undefined) continue;
    if (p.kind === 'router') {
      out.set(first, p);
      continue;
    }
    const link = atPort.get(first);
    if (!link) continue; // it is gone since
    if ((link.kind === 'segment') !== (p.kind === 'segment')) continue;
    out.set(p.kind === 'segment' ? segmentId(link) : link.id, p);
  }
  return out;
}

/** How a line is drawn for the harm that it does: width and dashes say it without colour. */
export const strokeOf: Record<CriticalPlace['harm'], { color: string; width: number; dash?: string }> = {
  'for good': { color: 'brick', width: 5 },
  'for a time': { color: 'ochre', width: 3, dash: '9 5' },
  none: { color: 'leaf', width: 1.4, dash: '2 4' },
};

/** The ground of a card for the harm that it does; a double border says the worst without colour. */
export const groundOf: Record<CriticalPlace['harm'], string> = {
  'for good': 'var(--chakra-colors-brick-soft)',
  'for a time': 'var(--chakra-colors-ochre-soft)',
  none: 'var(--chakra-colors-leaf-soft)',
};
