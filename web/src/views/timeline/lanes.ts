import type { ActionDetail, Chain, FlowOutages, MapLink } from '../../shared/api/client';
import { plural } from '../../shared/parts/words';

/** What a row of the chart stands for. */
export type By = 'device' | 'protocol' | 'flow';
/** In which order the rows of devices come. */
export type Order = 'first' | 'near' | 'path' | 'name';

type Event = ActionDetail['rows'][number]['events'][number];

/** An event with its device. */
export type LaneEvent = Event & { device: string };

/** A row of the chart. */
export interface Lane {
  name: string;
  /** The device that it stands for, if it does. */
  device?: string;
  flow?: FlowOutages;
  events: LaneEvent[];
}

/** What the lanes of protocols are called, in the order in which they cause each other. */
export const laneWords: Record<string, string> = {
  detection: 'ports',
  adjacency: 'neighbours',
  flooding: 'LSAs',
  spf: 'SPF',
  session: 'BGP sessions',
  updates: 'BGP UPDATEs',
  forwarding: 'forwarding',
  packet: 'lost packets',
};

/** The rows of the chart. Flows that were out or looped are below the others, or alone. */
export function lanesOf(
  rows: ActionDetail['rows'],
  flows: FlowOutages[],
  start: number,
  by: By,
  order: string[],
): Lane[] {
  if (by === 'flow') return flows.map((f) => ({ name: f.name, flow: f, events: turnsOf(f, start) }));
  const hit = flows.filter((f) => f.outages.length > 0 || f.looped.length > 0);
  const below = hit.map((f) => ({ name: f.name, flow: f, events: [] }));
  const events = rows.map((r) => ({
    name: r.device,
    device: r.device,
    events: r.events.map((e) => ({ ...e, device: r.device })),
  }));
  if (by === 'protocol') {
    const all = events.flatMap((r) => r.events).sort((a, b) => a.at - b.at);
    return [
      ...Object.entries(laneWords)
        .map(([lane, name]) => ({ name, events: all.filter((e) => e.lane === lane) }))
        .filter((l) => l.events.length > 0),
      ...below,
    ];
  }
  const place = new Map(order.map((d, i) => [d, i]));
  return [
    ...events
      .map((l, i) => ({ l, i, p: place.get(l.device) ?? Infinity }))
      .sort((a, b) => (a.p === b.p ? a.i - b.i : a.p - b.p))
      .map((x) => x.l),
    ...below,
  ];
}

/** Where the packets of a flow begin to take another path. */
function turnsOf(f: FlowOutages, start: number): LaneEvent[] {
  return f.paths
    .filter((w) => w.from >= start)
    .map((w) => ({
      at: w.from,
      lane: 'forwarding',
      device: f.from,
      count: 1,
      text: `past ${w.devices.slice(1, -1).join(', ')}`,
    }));
}

/** The devices in an order; none for the order of their first events. */
export function orderOf(
  order: Order,
  rows: ActionDetail['rows'],
  links: MapLink[],
  path: Chain | undefined,
): string[] {
  switch (order) {
    case 'first':
      return [];
    case 'name':
      return rows.map((r) => r.device).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
    case 'path':
      return [
        ...new Set(path?.links.flatMap((l) => [...l.via, l.device]).map((d) => d.split(/[./]/)[0] ?? d)),
      ];
    case 'near':
      return outwards(
        rows.map((r) => r.device),
        links,
      );
  }
}

/** The devices from the first one outwards, link by link: neighbours stand close to each other. */
function outwards(devices: string[], links: MapLink[]): string[] {
  const near = new Map<string, string[]>();
  for (const l of links)
    for (const a of l.ends)
      for (const b of l.ends)
        if (a.device !== b.device) near.set(a.device, [...(near.get(a.device) ?? []), b.device]);
  const seen = new Set<string>();
  for (const root of devices) {
    const queue = seen.has(root) ? [] : [root];
    for (let d = queue.shift(); d !== undefined; d = queue.shift()) {
      if (seen.has(d)) continue;
      seen.add(d);
      queue.push(...(near.get(d) ?? []));
    }
  }
  return [...seen];
}

/** How a number of events is said that share their marks with others. */
export const sharedWords = (n: number) =>
  `${plural(n, 'event')} share the mark of the one before: zoom in to see each`;
