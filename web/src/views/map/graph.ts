import type { MapData, MapLink, Path, Tree } from '../../shared/api/client';
import { cableOf, portName } from '../../shared/focus/focus';

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
export function crossings(map: MapData, path: Path): Crossing[] {
  const out: Crossing[] = [];
  path.hops.forEach((hop, i) => {
    if (!hop.out) return;
    const link = map.links.find((l) => l.ends.some((e) => e.device === hop.device && e.port === hop.out));
    if (!link) return;
    const lost = i === path.hops.length - 1 && !path.arrives;
    const near = link.ends.findIndex((e) => e.device === hop.device && e.port === hop.out);
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
