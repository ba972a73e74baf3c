import { describe, expect, test } from 'vitest';
import { placeLabels } from './labels';

const words = 'out for 6.000 s: terminus has no route to 203.0.113.10'; // some 350 px
const short = 'out for 6.000 s';

describe('labels of outages', () => {
  test('are placed behind a bar that has room there, else on it, else before it', () => {
    const at = (from: number, to: number) =>
      [...placeLabels([{ from, to, texts: [words, short] }], 100, 900).values()][0];
    expect(at(100, 300)).toMatchObject({ text: words, inside: false, x: 306 });
    expect(at(100, 800)).toMatchObject({ text: words, inside: true });
    expect(at(800, 850)?.x).toBeLessThan(800);
  });

  test('never overlap a bar or each other; the longest outage is named first', () => {
    for (let seed = 1; seed < 400; seed++) {
      let n = seed;
      const next = (max: number) => (n = (n * 48271) % 2147483647) % max;
      let at = 100;
      const bars = Array.from({ length: 1 + next(6) }, () => {
        const from = at + next(80);
        at = from + next(200);
        return { from, to: at, texts: [words, short] };
      }).filter((b) => b.to < 900);
      const spans = [...placeLabels(bars, 100, 900)].map(([bar, l]) => ({
        bar,
        from: l.x,
        to: l.x + l.text.length * 6.4,
        inside: l.inside,
      }));
      for (const a of spans) {
        expect(a.from).toBeGreaterThanOrEqual(100);
        expect(a.to).toBeLessThanOrEqual(900);
        for (const b of spans) expect(a === b || a.to <= b.from || b.to <= a.from).toBe(true);
        for (const b of bars)
          expect((b === a.bar && a.inside) || a.to <= b.from || b.to <= a.from).toBe(true);
      }
    }
  });

  test('are shortened, then left out', () => {
    const first = (bars: { from: number; to: number; texts: string[] }[]) =>
      placeLabels(bars, 100, 900).get(bars[0] ?? { from: 0, to: 0, texts: [] });
    expect(
      first([
        { from: 100, to: 200, texts: [words, short] },
        { from: 320, to: 890, texts: [words] },
      ]),
    ).toMatchObject({ text: short });
    expect(
      first([
        { from: 100, to: 110, texts: [words, short] },
        { from: 112, to: 899, texts: [words] },
      ]),
    ).toBeUndefined();
  });
});
