import { describe, expect, test } from 'vitest';
import type { Graph } from './graph';
import { layOut } from './layout';

const card = (id: string) => ({ id, width: 124, height: 44 });
const names = (n: number) => Array.from({ length: n }, (_, i) => `r${i}`);
const chain = (n: number): Graph => ({
  cards: names(n).map(card),
  edges: names(n - 1).map((r, i) => [r, `r${i + 1}`]),
});
const grid = (w: number): Graph => ({
  cards: names(w * w).map(card),
  edges: names(w * w).flatMap((r, i): [string, string][] => [
    ...(i % w < w - 1 ? [[r, `r${i + 1}`] as [string, string]] : []),
    ...(i + w < w * w ? [[r, `r${i + w}`] as [string, string]] : []),
  ]),
});

function far(g: Graph, a: string, b: string): number {
  const at = layOut(g);
  return Math.hypot((at[a]?.x ?? NaN) - (at[b]?.x ?? NaN), (at[a]?.y ?? NaN) - (at[b]?.y ?? NaN));
}

/** The pairs of cards of a layout that cover each other. */
function covered(g: Graph): string[] {
  const at = layOut(g);
  return g.cards.flatMap((a, i) =>
    g.cards.slice(i + 1).flatMap((b) => {
      const p = at[a.id];
      const q = at[b.id];
      if (!p || !q) return [`${a.id} or ${b.id} has no place`];
      return Math.abs(p.x - q.x) < 124 && Math.abs(p.y - q.y) < 44 ? [`${a.id} ${b.id}`] : [];
    }),
  );
}

describe('the layout', () => {
  test('the same network always gets the same map', () => {
    expect(layOut(grid(4))).toEqual(layOut(grid(4)));
  });
  test('distances on the map are those in the network', () => {
    const line = chain(6);
    expect(far(line, 'r0', 'r1') / 190).toBeGreaterThan(0.8);
    expect(far(line, 'r0', 'r1') / 190).toBeLessThan(1.2);
    expect(far(line, 'r0', 'r5') / 190).toBeGreaterThan(4.2);
  });
  test('a chain lies level', () => {
    const at = Object.values(layOut(chain(8)));
    const spread = (of: number[]) => Math.max(...of) - Math.min(...of);
    expect(spread(at.map((p) => p.x))).toBeGreaterThan(3 * spread(at.map((p) => p.y)));
  });
  test.each([
    ['a chain', chain(12)],
    ['a grid', grid(6)],
    ['a network of more than 150', grid(13)],
    ['cards without links', { cards: names(20).map(card), edges: [] }],
    [
      'two parts',
      {
        cards: names(8).map(card),
        edges: [
          ['r0', 'r1'],
          ['r2', 'r3'],
        ] as [string, string][],
      },
    ],
  ])('no card covers another: %s', (_, g) => {
    expect(covered(g)).toEqual([]);
  });
  test.each([
    [8, 8],
    [16, 12],
  ])('a grid of %i by %i lies unfolded: no link crosses another', (wide, high) => {
    const g: Graph = {
      cards: names(wide * high).map(card),
      edges: names(wide * high).flatMap((r, i): [string, string][] => [
        ...(i % wide < wide - 1 ? [[r, `r${i + 1}`] as [string, string]] : []),
        ...(i + wide < wide * high ? [[r, `r${i + wide}`] as [string, string]] : []),
      ]),
    };
    const at = layOut(g);
    const lines = g.edges.map(([a, b]) => [at[a] ?? { x: 0, y: 0 }, at[b] ?? { x: 0, y: 0 }, a, b] as const);
    type P = { x: number; y: number };
    const side = (a: P, b: P, c: P) => Math.sign((b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x));
    const crossing = lines.flatMap(([a, b, an, bn], i) =>
      lines.slice(i + 1).filter(([c, d, cn, dn]) => {
        if ([an, bn].includes(cn) || [an, bn].includes(dn)) return false;
        return side(a, b, c) !== side(a, b, d) && side(c, d, a) !== side(c, d, b);
      }),
    );
    expect(crossing).toEqual([]);
    expect(layOut(g)).toEqual(at);
  });
  test('nothing, and one card', () => {
    expect(layOut({ cards: [], edges: [] })).toEqual({});
    expect(Object.keys(layOut(chain(1)))).toEqual(['r0']);
  });
});
