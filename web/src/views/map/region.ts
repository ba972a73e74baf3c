import type { MapData } from '../../shared/api/client';
import { cardSize } from './graph';
import type { Places } from './layout';

interface Point {
  x: number;
  y: number;
}

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

const room = 26;

/** The regions of all ASes; of a lab without BGP, none. */
export function regions(map: MapData, places: Places): Region[] {
  const members = new Map<number, Point[]>();
  for (const d of map.devices) {
    const at = places[d.name];
    if (!d.as || !at) continue;
    const { width, height } = cardSize[d.kind];
    const corners = [
      { x: at.x - room, y: at.y - room },
      { x: at.x + width + room, y: at.y - room },
      { x: at.x + width + room, y: at.y + height + room },
      { x: at.x - room, y: at.y + height + room },
    ];
    members.set(d.as, [...(members.get(d.as) ?? []), ...corners]);
  }
  return [...members.entries()]
    .sort((a, b) => a[0] - b[0])
    .map(([as, points]) => {
      const outline = hull(points);
      const x = Math.min(...outline.map((p) => p.x));
      const y = Math.min(...outline.map((p) => p.y));
      const width = Math.max(...outline.map((p) => p.x)) - x;
      const height = Math.max(...outline.map((p) => p.y)) - y;
      const own = outline.map((p) => ({ x: p.x - x, y: p.y - y }));
      const top = own.reduce((a, b) => (b.y < a.y || (b.y === a.y && b.x < a.x) ? b : a));
      return { as, x, y, width, height, d: rounded(own), name: { x: top.x + 12, y: top.y + 15 } };
    });
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
