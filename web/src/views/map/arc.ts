interface Point {
  x: number;
  y: number;
}

/** An arc between two places that keeps beside the straight line, and where its label is. */
export function arc(p: Point, q: Point, bend: number): { d: string; label: Point } {
  const top = { x: (p.x + q.x) / 2 - (q.y - p.y) * bend, y: (p.y + q.y) / 2 + (q.x - p.x) * bend };
  return {
    d: `M${p.x},${p.y}Q${top.x},${top.y} ${q.x},${q.y}`,
    label: { x: (p.x + q.x) / 4 + top.x / 2, y: (p.y + q.y) / 4 + top.y / 2 },
  };
}
