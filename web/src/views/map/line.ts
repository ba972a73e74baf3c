export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface Line {
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

export const middleOf = (b: Box): Point => ({ x: b.x + b.width / 2, y: b.y + b.height / 2 });

/** A segment's bar within its pill: what is left of it where names are left out. Lines go up to the bar, and the pill covers their ends. */
export const barOf = (pill: Box): Box => ({
  x: pill.x + (pill.width - 36) / 2,
  y: pill.y + (pill.height - 8) / 2,
  width: 36,
  height: 8,
});

/** The straight line between two cards, from border to border; nth of several between the same two moves aside. */
export function lineBetween(a: Box, b: Box, nth: number): Line {
  const ca = middleOf(a);
  const cb = middleOf(b);
  const length = Math.hypot(cb.x - ca.x, cb.y - ca.y) || 1;
  const aside = nth === 0 ? 0 : Math.ceil(nth / 2) * 14 * (nth % 2 ? 1 : -1);
  const ox = (-(cb.y - ca.y) / length) * aside;
  const oy = ((cb.x - ca.x) / length) * aside;
  const from = border(a, ca, cb);
  const to = border(b, cb, ca);
  return { x1: from.x + ox, y1: from.y + oy, x2: to.x + ox, y2: to.y + oy };
}

/** Where the line from a card's middle to a point leaves the card. */
function border(box: Box, middle: { x: number; y: number }, to: { x: number; y: number }) {
  const dx = to.x - middle.x;
  const dy = to.y - middle.y;
  const scale = Math.min(
    dx ? box.width / 2 / Math.abs(dx) : Infinity,
    dy ? box.height / 2 / Math.abs(dy) : Infinity,
    1,
  );
  return { x: middle.x + dx * scale, y: middle.y + dy * scale };
}

export interface Point {
  x: number;
  y: number;
}

/** The point a distance along a line, and a little beside it. */
export function along(l: Line, distance: number, beside: number): Point {
  const length = Math.hypot(l.x2 - l.x1, l.y2 - l.y1) || 1;
  const t = Math.min(distance, length * 0.4) / length;
  return {
    x: l.x1 + (l.x2 - l.x1) * t + ((l.y1 - l.y2) / length) * beside,
    y: l.y1 + (l.y2 - l.y1) * t + ((l.x2 - l.x1) / length) * beside,
  };
}

/** Where the cost of a line's beginning may be: beside the line, the nearest first. */
export const costPlaces = (l: Line): Point[] =>
  [22, 30, 40, 52, 66, 84].flatMap((distance) => [10, -10].map((beside) => along(l, distance, beside)));

/** Half of a card, which a mark beside a short line has to clear. */
const half = { width: 68, height: 22 };

/** Where a mark on a line may be: on it, beside it, or beyond the cards of a short one. */
export function markPlaces(l: Line, width: number, height: number): Point[] {
  const at = (t: number) => ({ x: l.x1 + (l.x2 - l.x1) * t, y: l.y1 + (l.y2 - l.y1) * t });
  const length = Math.hypot(l.x2 - l.x1, l.y2 - l.y1) || 1;
  const normal = { x: (l.y1 - l.y2) / length, y: (l.x2 - l.x1) / length };
  const off = (Math.abs(normal.x) * width + Math.abs(normal.y) * height) / 2 + 6;
  const on = [0.5, 0.4, 0.6, 0.3, 0.7];
  const middle = at(0.5);
  return [
    ...on.map(at),
    ...on.flatMap((t) => [off, -off].map((o) => ({ x: at(t).x + normal.x * o, y: at(t).y + normal.y * o }))),
    { x: middle.x, y: Math.max(l.y1, l.y2) + half.height + height / 2 + 4 },
    { x: middle.x, y: Math.min(l.y1, l.y2) - half.height - height / 2 - 4 },
    { x: Math.max(l.x1, l.x2) + half.width + width / 2 + 4, y: middle.y },
    { x: Math.min(l.x1, l.x2) - half.width - width / 2 - 4, y: middle.y },
    ...around(middle),
  ];
}

/** Places around a point, the nearest first. */
export const around = (p: Point): Point[] =>
  [30, 45, 60, 80, 100].flatMap((r) =>
    Array.from({ length: 16 }, (_, i) => ({
      x: p.x + r * 1.6 * Math.cos((i * Math.PI) / 8),
      y: p.y + r * Math.sin((i * Math.PI) / 8),
    })),
  );

export const reversed = (l: Line): Line => ({ x1: l.x2, y1: l.y2, x2: l.x1, y2: l.y1 });
