/** A bar of a row, and what is to be written beside it, the longest text first. */
export interface Bar {
  from: number;
  to: number;
  texts: string[];
}

/** Where a bar's text begins, and whether that is on the bar itself. */
export interface Label {
  x: number;
  text: string;
  inside: boolean;
}

const letter = 6.4; // of the widest font that the chart's labels are written in
const gap = 6;

/**
 * Places the texts of a row's bars so that none overlaps another text or another bar: the longest
 * bar first, behind the bar, on it, or before it. A text that has no room is shortened, then left out.
 */
export function placeLabels(bars: Bar[], left: number, right: number): (Label | undefined)[] {
  const taken = bars.map((b) => ({ from: b.from, to: Math.max(b.to, b.from + 2), bar: b }));
  const labels: (Label | undefined)[] = bars.map(() => undefined);
  const order = bars
    .map((_, i) => i)
    .sort((a, b) => bars[b]!.to - bars[b]!.from - (bars[a]!.to - bars[a]!.from));
  for (const i of order) {
    const bar = bars[i]!;
    const free = (from: number, to: number) =>
      from >= left &&
      to <= right &&
      taken.every((t) => t.bar === bar || to + gap <= t.from || from - gap >= t.to);
    const places = bar.texts.flatMap((text): Label[] => {
      const w = text.length * letter;
      return [
        { text, x: bar.to + gap, inside: false },
        { text, x: bar.to - gap - w, inside: true },
        { text, x: bar.from - gap - w, inside: false },
      ].filter((p) => free(p.x, p.x + w) && (!p.inside || p.x >= bar.from + gap));
    });
    const label = places[0];
    if (label) {
      labels[i] = label;
      taken.push({
        from: label.x,
        to: label.x + label.text.length * letter,
        bar: { from: 0, to: 0, texts: [] },
      });
    }
  }
  return labels;
}
