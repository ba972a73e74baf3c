import { http, unwrap } from '../api/client';

/** Edits of a whole draft, each as it is typed, and the lines in which it is then different from another text. */
export const edited = (text: string, against: string, ...edits: string[]) =>
  unwrap(http.POST('/api/text/edit', { body: { text, edits, ...(against === text ? {} : { against }) } }));

export const rename = (text: string, line: number, column: number, to: string) =>
  unwrap(http.POST('/api/text/rename', { body: { text, line, column, to } }));

export const usesAt = (text: string, line: number, column: number) =>
  unwrap(http.POST('/api/text/uses', { body: { text, line, column } }));

export const mustDiffer = (text: string, router: string) =>
  unwrap(http.POST('/api/text/must-differ', { body: { text, router } }));

export const copyRouter = (text: string, router: string, values: Record<string, string>) =>
  unwrap(http.POST('/api/text/copy-router', { body: { text, router, values } })).then((x) => x.text);

/** What several places of a text say alike. */
export const alike = (text: string) => unwrap(http.POST('/api/text/alike', { body: { text } }));

/** A text in which that is said once, in a template. */
export const pull = (text: string, c: { in: string; statements: string }, name: string) =>
  unwrap(http.POST('/api/text/pull', { body: { text, in: c.in, statements: c.statements, name } })).then(
    (x) => x.text,
  );

/** What counts at a place, and where it is said. */
export const inForce = (text: string, place: string) =>
  unwrap(http.POST('/api/text/in-force', { body: { text, place } }));

export const outlineOf = (text: string) => unwrap(http.POST('/api/text/outline', { body: { text } }));

/** A fix applied: what is in a line between two columns becomes another text. */
export function mended(
  text: string,
  line: number,
  fix: { column: number; end: number; text: string },
): string {
  const lines = text.split('\n');
  const chars = Array.from(lines[line - 1] ?? '');
  lines[line - 1] = chars.slice(0, fix.column - 1).join('') + fix.text + chars.slice(fix.end - 1).join('');
  return lines.join('\n');
}
