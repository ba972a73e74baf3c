/** A place in a line that counts: "[1..4]", or "[10..40/10]" in steps of ten. */
const counter = /\[(\d+)\.\.(\d+)(?:\/(\d+))?\]/g;

export type Expanded = { text: string; from: number; to: number; count: number } | { problem: string };

const indentOf = (line: string) => /^ */.exec(line)?.[0].length ?? 0;

/** The numbers that a counter goes through. */
function numbers(from: number, to: number, step: number): number[] {
  const out: number[] = [];
  const way = to < from ? -step : step;
  for (let n = from; way > 0 ? n <= to : n >= to; n += way) out.push(n);
  return out;
}

/** Whether a line has a counter. */
export const isSeries = (line: string) => line.search(counter) >= 0;

/** As many blocks as a series may make. */
const most = 1000;

/**
 * A series written once: the line at an index and what is indented below it, once for each number. All counters of a
 * block go in step, so each must go through as many numbers as the others. Undefined if the line has no counter;
 * from and to are the indexes of the lines that are replaced, to not included.
 */
export function expandSeries(lines: string[], index: number): Expanded | undefined {
  const head = lines[index] ?? '';
  if (!head.match(counter)) return undefined;
  let end = index + 1;
  while (end < lines.length && (lines[end]?.trim() === '' || indentOf(lines[end] ?? '') > indentOf(head)))
    end++;
  while (end > index + 1 && lines[end - 1]?.trim() === '') end--;
  const block = lines.slice(index, end);
  const lists = block.flatMap((l) =>
    [...l.matchAll(counter)].map((m) => ({
      text: m[0],
      list: numbers(Number(m[1]), Number(m[2]), Math.max(1, Number(m[3] ?? 1))),
    })),
  );
  const first = lists[0];
  if (!first) return undefined;
  const odd = lists.find((l) => l.list.length !== first.list.length);
  if (odd) {
    return {
      problem: `${first.text} goes through ${first.list.length} numbers and ${odd.text} through ${odd.list.length}: make them equal`,
    };
  }
  if (first.list.length > most)
    return { problem: `${first.text} would make ${first.list.length} blocks; at most ${most}` };
  const out = first.list.flatMap((_, i) =>
    block.map((l) =>
      l.replace(counter, (_m, a: string, b: string, s?: string) =>
        String(numbers(Number(a), Number(b), Math.max(1, Number(s ?? 1)))[i]),
      ),
    ),
  );
  return { text: out.join('\n'), from: index, to: end, count: first.list.length };
}
