import { around, type Point } from './line';

/** An arc between two places that keeps beside the straight line, and where its label may be, the middle first. */
export function arc(p: Point, q: Point, bend: number): { d: string; places: Point[] } {
  const top = { x: (p.x + q.x) / 2 - (q.y - p.y) * bend, y: (p.y + q.y) / 2 + (q.x - p.x) * bend };
  const at = (t: number) => ({
    x: (1 - t) ** 2 * p.x + 2 * t * (1 - t) * top.x + t ** 2 * q.x,
    y: (1 - t) ** 2 * p.y + 2 * t * (1 - t) * top.y + t ** 2 * q.y,
  });
  return {
    d: `M${p.x},${p.y}Q${top.x},${top.y} ${q.x},${q.y}`,
    places: [...[0.5, 0.42, 0.58, 0.34, 0.66, 0.26, 0.74, 0.2, 0.8].map(at), ...around(at(0.5))],
  };
}
