import { ApiError } from './client';

/** A text as an edit of one that the server knows, by its key. */
export interface EditOf {
  key: string;
  from: number;
  to: number;
  insert: string;
}

/** Texts shorter than this are sent whole: they are smaller than what is around them. */
const short = 2_000;

/** The text that the server said it knows, and under which key. */
let known = { text: '', key: '' };

/** The length of what two texts have in common at their beginning, up to a limit. */
function common(a: string, b: string, limit: number): number {
  let n = 0;
  const step = 4096; // slices compare faster than letters
  while (n + step <= limit && a.slice(n, n + step) === b.slice(n, n + step)) n += step;
  while (n < limit && a.charCodeAt(n) === b.charCodeAt(n)) n++;
  return n;
}

/** The same at their end. */
function commonEnd(a: string, b: string, limit: number): number {
  let n = 0;
  const step = 4096;
  while (
    n + step <= limit &&
    a.slice(a.length - n - step, a.length - n) === b.slice(b.length - n - step, b.length - n)
  )
    n += step;
  while (n < limit && a.charCodeAt(a.length - 1 - n) === b.charCodeAt(b.length - 1 - n)) n++;
  return n;
}

/** What makes one text of another, in UTF-16 code units. */
export function editBetween(old: string, now: string): Omit<EditOf, 'key'> {
  const limit = Math.min(old.length, now.length);
  const from = common(old, now, limit);
  const end = commonEnd(old, now, limit - from);
  return { from, to: old.length - end, insert: now.slice(from, now.length - end) };
}

/**
 * Asks about a text: as an edit of one that the server knows if that is shorter, else whole. ask is called again with the
 * whole text if the server has forgotten it.
 */
export async function asEdit<T extends { key?: string }>(
  text: string,
  ask: (body: { text: string } | { edit: EditOf }) => Promise<T>,
): Promise<T> {
  const before = known;
  if (text.length > short && before.key !== '') {
    const edit = editBetween(before.text, text);
    if (edit.insert.length < text.length / 2) {
      try {
        return await ask({ edit: { key: before.key, ...edit } });
      } catch (e) {
        if (!(e instanceof ApiError) || e.status !== 410) throw e;
      }
    }
  }
  const answer = await ask({ text });
  if (answer.key) known = { text, key: answer.key };
  return answer;
}
