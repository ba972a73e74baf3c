import type { Chain } from '../../shared/api/client';
import { duration } from '../../shared/parts/words';

/** What a convergence waited for, on the map. */
export interface Waited {
  /** From card to card, as packets passed, in order. */
  hops: { from: string; to: string }[];
  /** What was waited for at each device, numbered in order. */
  notes: Map<string, string[]>;
}

const deviceOf = (ref: string) => ref.split('/')[0] ?? ref;

/** A critical path on the map: packets go from card to card, what was waited for stands at the card where it ended. */
export function waitedOf(path: Chain): Waited {
  const hops: Waited['hops'] = [];
  const notes = new Map<string, string[]>();
  path.links.forEach((l, i) => {
    const via = l.packets > 0 ? l.via.map(deviceOf) : [];
    via.slice(1).forEach((to, k) => {
      const from = via[k] ?? to;
      if (from !== to && !hops.some((h) => h.from === from && h.to === to)) hops.push({ from, to });
    });
    const at = deviceOf(l.device);
    // Over which devices is drawn.
    const says = l.packets > 0 ? l.says.replace(/ over .*/, '') : l.says;
    notes.set(at, [...(notes.get(at) ?? []), `${i + 1}. ${duration(l.took)}: ${says}`]);
  });
  return { hops, notes };
}
