/** A draft lives in its tab until it is applied or thrown away, so that a reload loses nothing. */
export interface Draft {
  text: string;
  /** The action that applied the text which the draft was made from. */
  base: number;
}

const key = (id: string) => `hellebore-draft-${id}`;

export function readDraft(id: string): Draft | undefined {
  try {
    const found = JSON.parse(sessionStorage.getItem(key(id)) ?? 'null') as unknown;
    if (found && typeof found === 'object' && 'text' in found && 'base' in found) return found as Draft;
  } catch {
    // What cannot be read is no draft.
  }
  return undefined;
}

export function keepDraft(id: string, d: Draft | undefined) {
  if (d) sessionStorage.setItem(key(id), JSON.stringify(d));
  else sessionStorage.removeItem(key(id));
}
