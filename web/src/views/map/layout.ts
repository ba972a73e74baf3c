import { forceCollide, forceLink, forceManyBody, forceSimulation, forceX, forceY } from 'd3-force';
import type { Graph } from './graph';
import { scaled } from './pivots';
import { turnLevel, type Card } from './turn';

export type Places = Record<string, { x: number; y: number }>;

/** How far apart two joined cards are to stand, middle to middle, in pixels. */
const hop = 178;
/** Cards this far apart, in hops, still hold each other in place; below `exact` cards, all do. */
const near = 4;
const exact = 150;
/** Networks of more cards than this can come out folded, if they begin anywhere. */
const unfolded = 45;
/** How often the forces are applied: a large network stands well before, and each time costs more. */
const ticks = (cards: number) => (cards <= exact ? 300 : 100);

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

/** Puts the cards of a network where it is unfolded: the forces alone would leave it folded. */
function begin(bodies: Body[], next: [number, number][][]) {
  const at = scaled(bodies.length, (from) => hopsFrom(from, next, Infinity));
  let sum = 0;
  let count = 0;
  next.forEach((ends, a) =>
    ends.forEach(([b]) => {
      sum += Math.hypot((at[a]?.x ?? 0) - (at[b]?.x ?? 0), (at[a]?.y ?? 0) - (at[b]?.y ?? 0));
      count++;
    }),
  );
  const scale = sum > 0 ? (hop * count) / sum : hop;
  bodies.forEach((b, i) => {
    // No two begin at the same place.
    b.x = (at[i]?.x ?? 0) * scale + (i % 7);
    b.y = (at[i]?.y ?? 0) * scale + (i % 5);
  });
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
  const times = ticks(bodies.length);
  if (bodies.length > unfolded) begin(bodies, next);
  forceSimulation(bodies)
    .alpha(bodies.length > unfolded ? 0.5 : 1)
    .alphaDecay(1 - 0.001 ** (1 / times))
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
    .tick(times);
  return turnLevel(bodies.map((b) => ({ ...b, x: b.x - b.width / 2, y: b.y - b.height / 2 })));
}
