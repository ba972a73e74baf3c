import { forceCollide, forceLink, forceManyBody, forceSimulation, forceX, forceY } from 'd3-force';
import type { Graph } from './graph';
import { turnLevel, type Card } from './turn';

export type Places = Record<string, { x: number; y: number }>;

/** How far apart two joined cards are to stand, middle to middle, in pixels. */
const hop = 178;
/** Cards this far apart, in hops, still hold each other in place; below `exact` cards, all do. */
const near = 4;
const exact = 150;
const ticks = 300;

interface Body extends Card {
  index?: number;
}

/** How far all cards within a limit are from one, in hops; a port on a segment is a short hop. */
function hopsFrom(start: number, next: [number, number][][], limit: number): Map<number, number> {
  const hops = new Map<number, number>();
  const open = new Map([[start, 0]]);
  while (open.size > 0) {
    const [at, d] = [...open].reduce((a, b) => (b[1] < a[1] ? b : a));
    open.delete(at);
    hops.set(at, d);
    if (d >= limit) continue;
    for (const [n, length] of next[at] ?? [])
      if (!hops.has(n) && d + length < (open.get(n) ?? Infinity)) open.set(n, d + length);
  }
  return hops;
}

/**
 * The places of all cards. Every pair of cards wants to be as far apart on the map as it is in the network, the closer
 * ones the more; the same network always gets the same map.
 */
export function layOut(graph: Graph): Places {
  const bodies: Body[] = graph.cards.map((c) => ({ ...c, x: NaN, y: NaN }));
  const number = new Map(bodies.map((b, i) => [b.id, i]));
  const next: [number, number][][] = bodies.map(() => []);
  for (const [from, to, length = 1] of graph.edges) {
    const a = number.get(from);
    const b = number.get(to);
    if (a === undefined || b === undefined) continue;
    next[a]?.push([b, length]);
    next[b]?.push([a, length]);
  }
  const limit = bodies.length <= exact ? Infinity : near;
  const springs: { source: number; target: number; hops: number }[] = [];
  bodies.forEach((_, source) => {
    for (const [target, hops] of hopsFrom(source, next, limit))
      if (target > source) springs.push({ source, target, hops });
  });
  forceSimulation(bodies)
    .force(
      'springs',
      forceLink<Body, (typeof springs)[number]>(springs)
        .distance((s) => s.hops * hop)
        .strength((s) => 0.7 / Math.max(1, s.hops) ** 2)
        .iterations(2),
    )
    .force(
      'apart',
      forceManyBody<Body>()
        .strength(-120)
        .distanceMax(4 * hop),
    )
    .force(
      'collide',
      forceCollide<Body>((b) => b.width / 2 + 14),
    )
    .force('x', forceX(0).strength(0.01))
    .force('y', forceY(0).strength(0.01))
    .stop()
    .tick(ticks);
  return turnLevel(bodies.map((b) => ({ ...b, x: b.x - b.width / 2, y: b.y - b.height / 2 })));
}
