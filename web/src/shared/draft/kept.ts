import { http } from '../api/client';

/**
 * A draft is kept in two places: in its tab, at once, so that a reload loses nothing; and by the server, a moment
 * later, so that it is there tomorrow. Everybody has their own: others are offered those of their colleagues.
 */
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

/** How long to wait for the next key before the server gets the draft. */
const pause = 400;
const timers = new Map<string, ReturnType<typeof setTimeout>>();

export function keepDraft(id: string, d: Draft | undefined) {
  if (d) sessionStorage.setItem(key(id), JSON.stringify(d));
  else sessionStorage.removeItem(key(id));
  clearTimeout(timers.get(id));
  timers.set(
    id,
    setTimeout(() => void tell(id, d), d ? pause : 0),
  );
}

/** Sends it to the server. If it cannot be reached, the tab still has the draft, and the next key tries again. */
async function tell(id: string, d: Draft | undefined) {
  const path = { id, owner: owner() };
  try {
    if (d)
      await http.PUT('/api/labs/{id}/drafts/{owner}', { params: { path }, body: { ...d, author: author() } });
    else await http.DELETE('/api/labs/{id}/drafts/{owner}', { params: { path } });
  } catch {
    // See above.
  }
}

const ownerKey = 'hellebore-browser';

/** What this browser calls itself, so that its drafts are its own. */
export function owner(): string {
  const known = localStorage.getItem(ownerKey);
  if (known) return known;
  const made = [...crypto.getRandomValues(new Uint8Array(12))]
    .map((b) => b.toString(16).padStart(2, '0'))
    .join('');
  localStorage.setItem(ownerKey, made);
  return made;
}

const nameKey = 'hellebore-author';

/** Who signs revisions from this browser. */
export const author = () => localStorage.getItem(nameKey) ?? '';
export const setAuthor = (name: string) => localStorage.setItem(nameKey, name);
