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

/** The straight line between two cards, from border to border; nth of several between the same two moves aside. */
export function lineBetween(a: Box, b: Box, nth: number): Line {
  const ca = { x: a.x + a.width / 2, y: a.y + a.height / 2 };
  const cb = { x: b.x + b.width / 2, y: b.y + b.height / 2 };
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

/** The point a distance along a line, and a little beside it. */
export function along(l: Line, distance: number, beside: number) {
  const length = Math.hypot(l.x2 - l.x1, l.y2 - l.y1) || 1;
  const t = Math.min(distance, length * 0.4) / length;
  return {
    x: l.x1 + (l.x2 - l.x1) * t + ((l.y1 - l.y2) / length) * beside,
    y: l.y1 + (l.y2 - l.y1) * t + ((l.x2 - l.x1) / length) * beside,
  };
}

/** Whether a text in the middle of its room would cover part of a card. */
const covers = (at: { x: number; y: number }, width: number, height: number, card: Box) =>
  Math.abs(at.x - card.x - card.width / 2) < (width + card.width) / 2 &&
  Math.abs(at.y - card.y - card.height / 2) < (height + card.height) / 2;

/** The middle of a short text beside the beginning of a line, where it covers neither card; undefined if there is no such place. */
export function besideEnd(l: Line, cards: Box[], width: number, height: number) {
  for (const distance of [22, 30, 40, 52, 66])
    for (const beside of [10, -10]) {
      const at = along(l, distance, beside);
      if (!cards.some((c) => covers(at, width, height, c))) return at;
    }
  return undefined;
}

/** Half of a card, which a mark beside a short line has to clear. */
const half = { width: 68, height: 22 };

/** The middle of a mark on a line: on it if there is room between the cards, else beside it, below or to the right. */
export function markOn(l: Line, width: number, height: number) {
  const dx = l.x2 - l.x1;
  const dy = l.y2 - l.y1;
  const length = Math.hypot(dx, dy) || 1;
  const middle = { x: (l.x1 + l.x2) / 2, y: (l.y1 + l.y2) / 2 };
  const [along, across] = [Math.abs(dx) / length, Math.abs(dy) / length];
  if (length >= width * along + height * across) return middle;
  return along >= across
    ? { x: middle.x, y: Math.max(l.y1, l.y2) + half.height + height / 2 + 4 }
    : { x: Math.max(l.x1, l.x2) + half.width + width / 2 + 4, y: middle.y };
}

export const reversed = (l: Line): Line => ({ x1: l.x2, y1: l.y2, x2: l.x1, y2: l.y1 });
