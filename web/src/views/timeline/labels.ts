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
export function placeLabels<B extends Bar>(bars: B[], left: number, right: number): Map<B, Label> {
  const labels = new Map<B, Label>();
  const taken: { from: number; to: number; bar?: B }[] = bars.map((bar) => ({
    from: bar.from,
    to: Math.max(bar.to, bar.from + 2),
    bar,
  }));
  for (const bar of [...bars].sort((a, b) => b.to - b.from - (a.to - a.from))) {
    const free = (from: number, to: number) =>
      from >= left &&
      to <= right &&
      taken.every((t) => t.bar === bar || to + gap <= t.from || from - gap >= t.to);
    const label = bar.texts
      .flatMap((text): Label[] => {
        const w = text.length * letter;
        return [
          { text, x: bar.to + gap, inside: false },
          { text, x: bar.to - gap - w, inside: true },
          { text, x: bar.from - gap - w, inside: false },
        ];
      })
      .find((p) => free(p.x, p.x + p.text.length * letter) && (!p.inside || p.x >= bar.from + gap));
    if (label) {
      labels.set(bar, label);
      taken.push({ from: label.x, to: label.x + label.text.length * letter });
    }
  }
  return labels;
}
