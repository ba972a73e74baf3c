/** The lines of a text that are a router's or host's own, from 0; to is the line behind them. */
export interface Range {
  from: number;
  to: number;
}

/** Where a router or host is in a text that may be half written; undefined if it is not there. */
export function deviceRange(lines: string[], name: string): Range | undefined {
  const from = lines.findIndex((l) => {
    const [kind, said] = l.split(/\s+/);
    return (kind === 'router' || kind === 'host') && said === name;
  });
  if (from < 0) return undefined;
  let to = from + 1;
  while (to < lines.length && /^(\s|$)/.test(lines[to] ?? '')) to++;
  return { from, to };
}

/** A text in which a range says something else. */
export function withRange(lines: string[], r: Range, said: string): string {
  return [...lines.slice(0, r.from), ...said.split('\n'), ...lines.slice(r.to)].join('\n');
}
