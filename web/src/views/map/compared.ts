import type { Comparison, Flow, MapData } from '../../shared/api/client';
import { portName } from '../../shared/focus/focus';
import { segmentId } from './graph';

/** How many routes of a device came, went, moved or changed. */
export interface Tally {
  came: number;
  went: number;
  moved: number;
  changed: number;
}

/** Two moments in one map. */
export interface Compared {
  /** What there is at either moment; what is at both, as it is at the second. */
  map: MapData;
  /** Cards, links and ends on segments that only the second has, by their IDs on the map, or only the first. */
  came: Set<string>;
  gone: Set<string>;
  /** Each flow at both moments; undefined where there is none of that name. */
  flows: { name: string; was: Flow | undefined; is: Flow | undefined; moved: boolean }[];
  /** How the tables of devices changed, by their names; those that did not are not in it. */
  tables: Map<string, Tally>;
}

/** What tells a link or a segment from others at both moments: a link's number may be another one. */
const keyOf = (l: MapData['links'][number]) =>
  l.kind === 'segment'
    ? segmentId(l)
    : l.ends
        .map((e) => portName(e))
        .sort()
        .join(' ');

/** The path of a flow, from port to port. */
const wayOf = (f: Flow | undefined) =>
  f && [f.arrives, ...f.hops.map((h) => `${h.device}.${h.out ?? ''}`)].join(' ');

/** Puts two moments into one map. */
export function comparedOf(before: MapData, after: MapData, comparison: Comparison): Compared {
  const came = new Set<string>();
  const gone = new Set<string>();
  const was = new Map(before.links.map((l) => [keyOf(l), l]));
  const is = new Set(after.links.map(keyOf));
  const links = after.links.map((l) => {
    const old = was.get(keyOf(l));
    if (!old) for (const id of idsOf(l)) came.add(id);
    if (l.kind !== 'segment' || !old) return l;
    // The ends of a segment at either moment.
    const there = new Set(l.ends.map((e) => portName(e)));
    const before = new Set(old.ends.map((e) => portName(e)));
    l.ends.forEach((e, i) => before.has(portName(e)) || came.add(`${l.id}/${i}`));
    const left = old.ends.filter((e) => !there.has(portName(e)));
    left.forEach((_, i) => gone.add(`${l.id}/${l.ends.length + i}`));
    return left.length > 0 ? { ...l, ends: [...l.ends, ...left] } : l;
  });
  const lost = before.links.filter((l) => !is.has(keyOf(l))).map((l) => ({ ...l, id: `before ${l.id}` }));
  for (const l of lost) for (const id of idsOf(l)) gone.add(id);
  const names = (m: MapData) => new Set(m.devices.map((d) => d.name));
  const [old, now] = [names(before), names(after)];
  for (const n of now) if (!old.has(n)) came.add(n);
  for (const n of old) if (!now.has(n)) gone.add(n);
  const flows = new Map(after.flows.map((f) => [f.name, f]));
  const oldFlows = new Map(before.flows.map((f) => [f.name, f]));
  const tables = new Map<string, Tally>();
  for (const r of comparison.sections.find((s) => s.name === 'routes')?.rows ?? []) {
    const device = r.device.split('/')[0] ?? r.device;
    const t = tables.get(device) ?? { came: 0, went: 0, moved: 0, changed: 0 };
    t[r.kind]++;
    tables.set(device, t);
  }
  return {
    map: {
      ...after,
      devices: [...after.devices, ...before.devices.filter((d) => gone.has(d.name))],
      links: [...links, ...lost],
      places: { ...before.places, ...after.places },
    },
    came,
    gone,
    flows: [...new Set([...flows.keys(), ...oldFlows.keys()])].map((name) => ({
      name,
      was: oldFlows.get(name),
      is: flows.get(name),
      moved: wayOf(oldFlows.get(name)) !== wayOf(flows.get(name)),
    })),
    tables,
  };
}

/** A link's ID, or a segment's card and ends. */
const idsOf = (l: MapData['links'][number]) =>
  l.kind === 'segment' ? [segmentId(l), ...l.ends.map((_, i) => `${l.id}/${i}`)] : [l.id];

/** A tally where room is short, and in words. */
export const tallySigns = (t: Tally) =>
  [
    t.came ? `+${t.came}` : '',
    t.went ? `\u2212${t.went}` : '',
    t.moved + t.changed ? `\u2248${t.moved + t.changed}` : '',
  ]
    .filter(Boolean)
    .join(' ');

export const tallyWords = (t: Tally) =>
  `routes: ${(['came', 'went', 'moved', 'changed'] as const)
    .filter((k) => t[k] > 0)
    .map((k) => `${t[k]} ${k}`)
    .join(', ')}`;
