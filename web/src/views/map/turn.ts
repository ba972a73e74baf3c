export interface Card {
  id: string;
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * Turns a layout so that its longest direction lies level: screens are wider than high, and so are cards. A layout by
 * distances has no direction of its own, so turning it loses nothing.
 */
export function turnLevel(cards: Card[]): Record<string, { x: number; y: number }> {
  const middle = cards.map((c) => ({ c, x: c.x + c.width / 2, y: c.y + c.height / 2 }));
  const n = Math.max(1, cards.length);
  const mx = middle.reduce((s, m) => s + m.x, 0) / n;
  const my = middle.reduce((s, m) => s + m.y, 0) / n;
  let xx = 0;
  let yy = 0;
  let xy = 0;
  for (const m of middle) {
    xx += (m.x - mx) ** 2;
    yy += (m.y - my) ** 2;
    xy += (m.x - mx) * (m.y - my);
  }
  // The angle of the principal axis of the middles.
  const angle = 0.5 * Math.atan2(2 * xy, xx - yy);
  const cos = Math.cos(angle);
  const sin = Math.sin(angle);
  return Object.fromEntries(
    middle.map(({ c, x, y }) => [
      c.id,
      {
        x: (x - mx) * cos + (y - my) * sin - c.width / 2,
        y: -(x - mx) * sin + (y - my) * cos - c.height / 2,
      },
    ]),
  );
}
