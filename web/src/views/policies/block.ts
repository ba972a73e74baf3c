/** A policy as it is in a lab's text: its lines, and where they begin and end. */
export interface Block {
  text: string;
  from: number;
  to: number;
}

/** Finds a policy's block: its line and all lines below it that are indented. */
export function findPolicy(text: string, name: string): Block | undefined {
  const lines = text.split('\n');
  const from = lines.findIndex((l) => /^policy\s/.test(l) && l.split(/\s+/)[1] === name);
  if (from < 0) return undefined;
  let to = from + 1;
  while (to < lines.length && (/^\s+\S/.test(lines[to] ?? '') || (lines[to] ?? '').trim() === '')) to++;
  while (to > from + 1 && (lines[to - 1] ?? '').trim() === '') to--;
  return { text: lines.slice(from, to).join('\n'), from, to };
}

/** The lab's text with the policy's block replaced. */
export function replacePolicy(text: string, block: Block, by: string): string {
  const lines = text.split('\n');
  return [...lines.slice(0, block.from), by.replace(/\n+$/, ''), ...lines.slice(block.to)].join('\n');
}
