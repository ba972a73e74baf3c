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

/** What was read last: taking a long text apart takes time. */
let last: { raw: string; draft: Draft | undefined } = { raw: '', draft: undefined };

export function readDraft(id: string): Draft | undefined {
  const waiting = late.get(id);
  if (waiting) return waiting.draft;
  const raw = sessionStorage.getItem(key(id)) ?? '';
  if (raw !== last.raw) last = { raw, draft: parsed(raw) };
  return last.draft;
}

function parsed(raw: string): Draft | undefined {
  try {
    const found = JSON.parse(raw) as unknown;
    if (found && typeof found === 'object' && 'text' in found && 'base' in found) return found as Draft;
  } catch {
    // What cannot be read is no draft.
  }
  return undefined;
}

/** How long to wait for the next key before the server gets the draft. */
const pause = 400;
const timers = new Map<string, ReturnType<typeof setTimeout>>();

/** A text of this length takes longer to write into the tab than a key may take. */
const long = 50_000;
const late = new Map<string, { draft: Draft; timer: ReturnType<typeof setTimeout> }>();

function writeDraft(id: string, d: Draft | undefined) {
  clearTimeout(late.get(id)?.timer);
  late.delete(id);
  if (d) sessionStorage.setItem(key(id), JSON.stringify(d));
  else sessionStorage.removeItem(key(id));
}

/** A page that goes away leaves nothing unwritten. */
const writeAll = () => late.forEach((l, id) => writeDraft(id, l.draft));

export function keepDraft(id: string, d: Draft | undefined) {
  if (d && d.text.length > long) {
    window.addEventListener('pagehide', writeAll);
    clearTimeout(late.get(id)?.timer);
    late.set(id, { draft: d, timer: setTimeout(() => writeDraft(id, d), pause) });
  } else writeDraft(id, d);
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
