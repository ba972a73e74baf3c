/** What is in sight, from the first to the last; none if the last is below the first. */
export interface Range {
  first: number;
  last: number;
}

export const nothing: Range = { first: 0, last: -1 };

/** What the rows of a list that may be long are drawn by. */
export interface Long<R> {
  large: boolean;
  found: number;
  /** Is told which are in sight. */
  sees: (sight: Range) => void;
  row: (i: number) => R | undefined;
}

/** The pages of a size that a range is on. */
export function pagesOf(range: Range, size: number): number[] {
  const out: number[] = [];
  for (let p = Math.floor(Math.max(0, range.first) / size); p * size <= range.last; p++) out.push(p);
  return out;
}
