/** A policy as it is in a lab's text: its lines, and where they begin and end. */
export interface Block {
  text: string;
  from: number;
  to: number;
}

/**
 * Finds a policy's block: its line and all lines below it that are indented more. A router's own is in the
 * router's block, or in a template that it takes.
 */
export function findPolicy(text: string, name: string, router?: string): Block | undefined {
  const lines = text.split('\n');
  const isPolicy = (l: string) => /^\s*policy\s/.test(l) && l.trim().split(/\s+/)[1] === name;
  if (!router)
    return blockAt(
      lines,
      lines.findIndex((l) => /^\S/.test(l) && isPolicy(l)),
    );
  const owners = [...lines.keys()].filter((i) => /^(router|template)\s/.test(lines[i] ?? ''));
  const own = owners.filter((i) => new RegExp(`^router\\s+${router}(\\s|$)`).test(lines[i] ?? ''));
  for (const at of [...own, ...owners.filter((i) => /^template/.test(lines[i] ?? ''))]) {
    const to = blockAt(lines, at)?.to ?? at;
    const from = lines.slice(at + 1, to).findIndex(isPolicy);
    if (from >= 0) return blockAt(lines, at + 1 + from);
  }
  return undefined;
}

const depth = (line: string) => line.length - line.trimStart().length;

function blockAt(lines: string[], from: number): Block | undefined {
  if (from < 0) return undefined;
  const above = depth(lines[from] ?? '');
  let to = from + 1;
  while (to < lines.length && ((lines[to] ?? '').trim() === '' || depth(lines[to] ?? '') > above)) to++;
  while (to > from + 1 && (lines[to - 1] ?? '').trim() === '') to--;
  return { text: lines.slice(from, to).join('\n'), from, to };
}

/** The lab's text with the policy's block replaced. */
export function replacePolicy(text: string, block: Block, by: string): string {
  const lines = text.split('\n');
  return [...lines.slice(0, block.from), by.replace(/\n+$/, ''), ...lines.slice(block.to)].join('\n');
}
