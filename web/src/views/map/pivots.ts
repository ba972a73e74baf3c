import type { Point } from './line';

/** From how many cards the distances to all others are looked at. */
const pivots = 40;
/** How often a direction is made truer. */
const rounds = 60;

/**
 * Where cards are, by and large, so that their distances are those in the network: classical scaling of the distances to a few
 * pivots (Brandes and Pich, "Eigensolver methods for progressive multidimensional scaling of large data", 2007). distances are
 * those from a card to all others.
 */
export function scaled(count: number, distances: (from: number) => Map<number, number>): Point[] {
  if (count < 3) return Array.from({ length: count }, (_, i) => ({ x: i, y: 0 }));
  const columns: number[][] = [];
  // Each pivot is as far as can be from those before it.
  const nearest = new Array<number>(count).fill(Infinity);
  let pivot = 0;
  for (let k = 0; k < Math.min(pivots, count); k++) {
    const from = distances(pivot);
    const far = Math.max(...from.values()) + 3; // what nothing leads to
    const column = Array.from({ length: count }, (_, i) => from.get(i) ?? far);
    columns.push(column);
    let next = pivot;
    column.forEach((d, i) => {
      nearest[i] = Math.min(nearest[i] ?? d, d);
      if ((nearest[i] ?? 0) > (nearest[next] ?? 0)) next = i;
    });
    pivot = next;
  }
  const squares = columns.map((c) => c.map((d) => d * d));
  const mean = (list: number[]) => list.reduce((a, b) => a + b, 0) / list.length;
  const ofColumns = squares.map(mean);
  const ofRows = Array.from({ length: count }, (_, i) => mean(squares.map((c) => c[i] ?? 0)));
  const all = mean(ofColumns);
  const centred = squares.map((c, k) =>
    c.map((d, i) => -0.5 * (d - (ofRows[i] ?? 0) - (ofColumns[k] ?? 0) + all)),
  );
  const dot = (a: number[], b: number[]) => a.reduce((sum, v, i) => sum + v * (b[i] ?? 0), 0);
  const product = centred.map((a) => centred.map((b) => dot(a, b)));
  const found: number[][] = [];
  for (let axis = 0; axis < 2; axis++) {
    let v = centred.map((_, k) => Math.sin(k + 1 + axis)); // any start that is not at right angles to the result
    for (let r = 0; r < rounds; r++) {
      for (const f of found) {
        const share = dot(v, f);
        v = v.map((x, i) => x - share * (f[i] ?? 0));
      }
      const next = product.map((row) => dot(row, v));
      const length = Math.sqrt(dot(next, next)) || 1;
      v = next.map((x) => x / length);
    }
    found.push(v);
  }
  return Array.from({ length: count }, (_, i) => {
    const row = centred.map((c) => c[i] ?? 0);
    return { x: dot(row, found[0] ?? []), y: dot(row, found[1] ?? []) };
  });
}
