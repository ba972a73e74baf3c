import type { MapData } from '../../shared/api/client';
import { cardSize } from './graph';
import type { Places } from './layout';
import type { Point } from './line';

/** The outline of an autonomous system on the map: around the cards of its devices. */
export interface Region {
  as: number;
  x: number;
  y: number;
  width: number;
  height: number;
  /** The outline, from the region's own corner. */
  d: string;
  /** Where its name is, from the region's own corner. */
  name: Point;
}

/** What its name says: reached are the ASes that have a route to the prefix in focus. */
export const regionWords = (r: Region, reached: Set<number> | undefined) =>
  `AS ${r.as}${reached && !reached.has(r.as) ? ', without a route to it' : ''}`;

const room = 26;

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The regions of all ASes; of a lab without BGP, none. */
export function regions(map: MapData, places: Places): Region[] {
  const members = new Map<number, Box[]>();
  for (const d of map.devices) {
    const at = places[d.name];
    if (at) members.set(d.as ?? 0, [...(members.get(d.as ?? 0) ?? []), { ...at, ...cardSize[d.kind] }]);
  }
  return [...members.entries()]
    .filter(([as]) => as !== 0)
    .sort((a, b) => a[0] - b[0])
    .map(([as, own]) => {
      const others = [...members.entries()].flatMap(([x, cards]) => (x === as ? [] : cards));
      const outlines = apart(own, others).map((cards) => hull(cards.flatMap(corners)));
      const all = outlines.flat();
      const x = Math.min(...all.map((p) => p.x));
      const y = Math.min(...all.map((p) => p.y));
      const width = Math.max(...all.map((p) => p.x)) - x;
      const height = Math.max(...all.map((p) => p.y)) - y;
      const inner = outlines.map((o) => o.map((p) => ({ x: p.x - x, y: p.y - y })));
      const top = inner.flat().reduce((a, b) => (b.y < a.y || (b.y === a.y && b.x < a.x) ? b : a));
      return {
        as,
        x,
        y,
        width,
        height,
        d: inner.map(rounded).join(''),
        name: { x: top.x + 12, y: top.y + 15 },
      };
    });
}

/** The corners of the room around a card. */
const corners = (c: Box): Point[] => [
  { x: c.x - room, y: c.y - room },
  { x: c.x + c.width + room, y: c.y - room },
  { x: c.x + c.width + room, y: c.y + c.height + room },
  { x: c.x - room, y: c.y + c.height + room },
];

/** Cards in groups whose outlines hold no card of others: all of them, or else parted where the gap between them is widest. */
export function apart(own: Box[], others: Box[]): Box[][] {
  const outline = hull(own.flatMap(corners));
  if (own.length < 2 || !others.some((o) => within({ x: o.x + o.width / 2, y: o.y + o.height / 2 }, outline)))
    return [own];
  const cuts = (['x', 'y'] as const).map((axis) => {
    const sorted = [...own].sort((a, b) => a[axis] - b[axis]);
    let at = 1;
    const gap = (i: number) => (sorted[i]?.[axis] ?? 0) - (sorted[i - 1]?.[axis] ?? 0);
    for (let i = 2; i < sorted.length; i++) if (gap(i) > gap(at)) at = i;
    return { gap: gap(at), parts: [sorted.slice(0, at), sorted.slice(at)] };
  });
  const widest = cuts.reduce((a, b) => (b.gap > a.gap ? b : a));
  return widest.parts.flatMap((part) => apart(part, others));
}

/** Whether a point is inside a convex outline, whichever way round that goes. */
function within(p: Point, outline: Point[]): boolean {
  const sides = outline.map((a, i) => {
    const b = outline[(i + 1) % outline.length] ?? a;
    return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x);
  });
  return sides.every((s) => s > 0) || sides.every((s) => s < 0);
}

/** The convex hull, in order (Andrew's monotone chain). */
export function hull(points: Point[]): Point[] {
  const sorted = [...points].sort((a, b) => a.x - b.x || a.y - b.y);
  const half = (list: Point[]) => {
    const out: Point[] = [];
    for (const p of list) {
      for (;;) {
        const a = out.at(-2);
        const b = out.at(-1);
        if (!a || !b || (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x) > 0) break;
        out.pop();
      }
      out.push(p);
    }
    return out.slice(0, -1);
  };
  return [...half(sorted), ...half(sorted.reverse())];
}

/** A closed outline with round corners. */
function rounded(points: Point[]): string {
  const radius = 16;
  const towards = (from: Point, to: Point) => {
    const length = Math.hypot(to.x - from.x, to.y - from.y) || 1;
    const t = Math.min(radius, length / 2) / length;
    return { x: from.x + (to.x - from.x) * t, y: from.y + (to.y - from.y) * t };
  };
  return (
    points
      .map((p, i) => {
        const before = points[(i + points.length - 1) % points.length] ?? p;
        const behind = points[(i + 1) % points.length] ?? p;
        const a = towards(p, before);
        const b = towards(p, behind);
        return `${i === 0 ? 'M' : 'L'}${a.x},${a.y}Q${p.x},${p.y} ${b.x},${b.y}`;
      })
      .join('') + 'Z'
  );
}
