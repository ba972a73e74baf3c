import { hashKey, type QueryKey } from '@tanstack/react-query';

/** Strings of this length in a question's key stand there by a number: a key is hashed at each drawing. */
const long = 1_000;
/** How many long strings have a number; one that comes back later gets another, and is asked about again. */
const most = 64;

const numbers = new Map<string, number>();
let next = 0;

function numberOf(text: string): number {
  const known = numbers.get(text);
  if (known !== undefined) return known;
  const oldest = numbers.keys().next();
  if (numbers.size >= most && !oldest.done) numbers.delete(oldest.value);
  numbers.set(text, ++next);
  return next;
}

/** The hash of a question's key, in which whole lab texts may be. */
export const shortHash = (key: QueryKey): string =>
  hashKey(
    key.map((part: unknown) =>
      typeof part === 'string' && part.length > long ? { long: numberOf(part) } : part,
    ),
  );
