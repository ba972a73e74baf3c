import type { MapData, MapLink, Path, Tree } from '../../shared/api/client';
import { cableOf, portName } from '../../shared/focus/focus';
import { plural } from '../../shared/parts/words';

/** The size of a card by what it means, in pixels. */
export const cardSize = {
  router: { width: 136, height: 44 },
  host: { width: 104, height: 38 },
  segment: { width: 76, height: 22 },
};

export const segmentId = (l: MapLink) => `segment:${l.name}`;

/** What is laid out: a card per device, a pill per segment, an edge per link or port on a segment. */
export interface Graph {
  cards: { id: string; width: number; height: number }[];
  /** Both ends, and how long it is to be beside others; 1 unless said. */
  edges: [string, string, number?][];
}

export function toGraph(map: MapData): Graph {
  const cards = map.devices.map((d) => ({ id: d.name, ...cardSize[d.kind] }));
  const edges: Graph['edges'] = [];
  for (const l of map.links) {
    if (l.kind === 'segment') {
      cards.push({ id: segmentId(l), ...cardSize.segment });
      for (const e of l.ends) edges.push([segmentId(l), e.device, 0.52]);
    } else if (l.ends[0] && l.ends[1]) {
      edges.push([l.ends[0].device, l.ends[1].device]);
    }
  }
  return { cards, edges };
}

/** Which of several links between the same two devices each is, by its ID: they are drawn beside each other. */
export function offsetsOf(links: MapLink[]): Map<string, number> {
  const pairs = new Map<string, number>();
  const out = new Map<string, number>();
  for (const l of links) {
    const [a, b] = l.ends;
    if (l.kind === 'segment' || !a || !b) continue;
    const pair = [a.device, b.device].sort().join(' ');
    const nth = pairs.get(pair) ?? 0;
    pairs.set(pair, nth + 1);
    out.set(l.id, nth);
  }
  return out;
}

/** How a path crosses what joins ports: by the id of the link, or of the segment and its end. */
export interface Crossing {
  id: string;
  /** The path goes from the link's first end to its second. */
  forward: boolean;
  /** It ends on this one: packets leave and do not arrive. */
  lost: boolean;
}

/** The links that a path goes over, in order. */
export function crossings(map: MapData, path: Path, at = endsOf(map)): Crossing[] {
  const out: Crossing[] = [];
  path.hops.forEach((hop, i) => {
    const end = hop.out && at.get(`${hop.device}.${hop.out}`);
    if (!end) return;
    const { link, near } = end;
    const lost = i === path.hops.length - 1 && !path.arrives;
    if (link.kind === 'link') {
      out.push({ id: link.id, forward: near === 0, lost });
      return;
    }
    out.push({ id: `${link.id}/${near}`, forward: false, lost });
    const next = path.hops[i + 1];
    const far = link.ends.findIndex((e) => e.device === next?.device);
    if (!lost && far >= 0) out.push({ id: `${link.id}/${far}`, forward: true, lost: false });
  });
  return out;
}

/** What each port is joined to, and which end of it the port is. */
const endsOf = (map: MapData) =>
  new Map(
    map.links.flatMap((link) =>
      link.ends.map((e, near) => [`${e.device}.${e.port}`, { link, near }] as const),
    ),
  );

/** How many paths cross what joins ports, from its first end, from its second, and how many of them end on it. */
export interface Crossed {
  forward: number;
  back: number;
  lost: number;
}

/** What paths go over together, by the id of the link, or of the segment and its end. */
export function crossedBy(map: MapData, paths: Path[]): Map<string, Crossed> {
  const out = new Map<string, Crossed>();
  const at = endsOf(map);
  for (const path of paths) {
    // A loop goes over a link more than once, and is one path.
    for (const id of new Map(crossings(map, path, at).map((c) => [`${c.id} ${c.forward}`, c])).values()) {
      const x = out.get(id.id) ?? { forward: 0, back: 0, lost: 0 };
      x[id.forward ? 'forward' : 'back']++;
      if (id.lost) x.lost++;
      out.set(id.id, x);
    }
  }
  return out;
}

/** Why paths end where they do, by device: each reason once. */
export function stopsOf(paths: Path[]): Map<string, string[]> {
  const counts = new Map<string, Map<string, number>>();
  for (const p of paths) {
    if (!p.stopsAt) continue;
    const of = counts.get(p.stopsAt) ?? new Map<string, number>();
    of.set(p.reason ?? '', (of.get(p.reason ?? '') ?? 0) + 1);
    counts.set(p.stopsAt, of);
  }
  return new Map(
    [...counts].map(([device, of]) => [
      device,
      [...of].map(([reason, n]) => (n > 1 ? `${plural(n, 'flow')}: ${reason}` : reason)),
    ]),
  );
}

/** Whether a shortest-path tree goes over a link, or over one end of a segment, and from which end of it. */
export function onTree(tree: Tree, link: MapLink, end?: number): 'no' | 'forward' | 'back' {
  const a = link.ends[0];
  const near = end === undefined ? a : link.ends[end];
  if (!near) return 'no';
  const name = portName(near);
  for (const s of tree.steps) {
    const leaves = s.from !== undefined && cableOf(s.from) === name;
    const arrives = s.to !== undefined && cableOf(s.to) === name;
    if (end !== undefined) {
      if (leaves) return 'back'; // from the device to the segment
      if (arrives) return 'forward';
    } else if (s.from !== undefined && s.to !== undefined) {
      if (leaves) return 'forward';
      if (arrives) return 'back';
    }
  }
  return 'no';
}

/** What the path to a router costs from the root of a tree; undefined for the root itself and what is not on it. */
export const distanceTo = (tree: Tree, device: string): number | undefined =>
  device === tree.root ? 0 : tree.steps.find((s) => s.device === device)?.distance;
