/** A part of an action's time that is looked at. */
export interface Window {
  from: number;
  to: number;
}

/** The least that is looked at: a packet is on its way for longer. */
const least = 1e-8;

/** A window by a factor narrower around a time that keeps its place, within the whole. */
export function zoomed(whole: Window, now: Window, at: number, factor: number): Window {
  const span = Math.min(whole.to - whole.from, Math.max(least, (now.to - now.from) / factor));
  const share = (at - now.from) / Math.max(least, now.to - now.from);
  return within(whole, { from: at - share * span, to: at + (1 - share) * span });
}

/** A window moved by a share of itself. */
export function moved(whole: Window, now: Window, share: number): Window {
  const by = (now.to - now.from) * share;
  return within(whole, { from: now.from + by, to: now.to + by });
}

function within(whole: Window, w: Window): Window {
  const span = Math.min(w.to - w.from, whole.to - whole.from);
  const from = Math.min(Math.max(w.from, whole.from), whole.to - span);
  return { from, to: from + span };
}

/** What is written at ticks: as few decimals as tell them all apart. */
export function tickWords(ticks: number[], words: (t: number) => string): string[] {
  const out = ticks.map(words);
  if (new Set(out).size === out.length) return out;
  for (let decimals = 1; decimals <= 9; decimals++) {
    const exact = ticks.map((t) => `${t.toFixed(decimals)} s`);
    if (new Set(exact).size === exact.length) return exact;
  }
  return ticks.map((t) => `${t.toFixed(9)} s`);
}
