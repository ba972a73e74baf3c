/** A scale of time in which long stretches where nothing happens are folded. */
export interface Scale {
  /** The place of a time, 0 to 1. */
  place: (t: number) => number;
  /** The time of a place. */
  time: (x: number) => number;
  /** Folded stretches: where, and how long. */
  folds: { from: number; to: number; seconds: number }[];
  start: number;
  end: number;
}

/** A stretch is folded if it is longer than this share of all the time, and than this many seconds. */
const long = 0.25;
const worthwhile = 0.5;
/** What a folded stretch takes of the width. */
const folded = 0.06;

/** The scale from start to end for these events' times. */
export function makeScale(start: number, end: number, events: number[]): Scale {
  const span = Math.max(end - start, 1e-6);
  const times = [start, ...events.filter((t) => t > start && t < end).sort((a, b) => a - b), end];
  // The pieces between events; long empty ones are folded, if enough time is left to make that worth it.
  const pieces: { from: number; to: number; fold: boolean }[] = [];
  for (let i = 1; i < times.length; i++) {
    const from = times[i - 1] ?? start;
    const to = times[i] ?? end;
    if (to <= from) continue;
    pieces.push({ from, to, fold: to - from > long * span && to - from > worthwhile && events.length > 0 });
  }
  const open = pieces.filter((p) => !p.fold).reduce((n, p) => n + (p.to - p.from), 0);
  const nfold = pieces.filter((p) => p.fold).length;
  if (open === 0 || nfold === 0) {
    for (const p of pieces) p.fold = false;
  }
  const folds = pieces.filter((p) => p.fold).length;
  const openWidth = 1 - folds * folded;
  const openTime = folds > 0 ? open : span;
  const stops: { t: number; x: number }[] = [{ t: start, x: 0 }];
  let x = 0;
  const out: Scale['folds'] = [];
  for (const p of pieces) {
    const width = p.fold ? folded : ((p.to - p.from) / openTime) * openWidth;
    if (p.fold) out.push({ from: x, to: x + width, seconds: p.to - p.from });
    x += width;
    stops.push({ t: p.to, x });
  }
  const between = (v: number, key: 't' | 'x', other: 't' | 'x') => {
    let lo = 0;
    let hi = stops.length - 1;
    while (lo < hi - 1) {
      const mid = (lo + hi) >> 1;
      if ((stops[mid]?.[key] ?? 0) <= v) lo = mid;
      else hi = mid;
    }
    const a = stops[lo] ?? { t: start, x: 0 };
    const b = stops[hi] ?? { t: end, x: 1 };
    if (b[key] === a[key]) return a[other];
    const share = Math.min(1, Math.max(0, (v - a[key]) / (b[key] - a[key])));
    return a[other] + share * (b[other] - a[other]);
  };
  return { place: (t) => between(t, 't', 'x'), time: (v) => between(v, 'x', 't'), folds: out, start, end };
}

/** Round times for the axis, seconds after the action, outside of folds. */
export function ticks(s: Scale, origin: number, count: number): number[] {
  const out: number[] = [];
  for (let i = 0; i <= count; i++) {
    const x = i / count;
    if (s.folds.some((f) => x > f.from - 0.09 && x < f.to + 0.09)) continue;
    const near = s.time(Math.min(1, x + 0.5 / count)) - s.time(Math.max(0, x - 0.5 / count));
    const step = 10 ** Math.floor(Math.log10(Math.max(near, 1e-6)));
    const t = Math.round((s.time(x) - origin) / step) * step;
    const place = s.place(t + origin);
    if (
      t + origin >= s.start &&
      t + origin <= s.end &&
      !out.some((o) => Math.abs(s.place(o + origin) - place) < 0.4 / count)
    )
      out.push(t);
  }
  return out;
}
