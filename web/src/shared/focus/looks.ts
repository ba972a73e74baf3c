import { useEffect, useSyncExternalStore } from 'react';

/** What this browser has looked at in a lab: views and panels, by the names that a task uses. */
const key = (id: string) => `hellebore-looks-${id}`;
const listeners = new Set<() => void>();

const read = (id: string) => localStorage.getItem(key(id)) ?? '';

export function noteLook(id: string, what: string) {
  const had = read(id);
  if (had.split(' ').includes(what)) return;
  localStorage.setItem(key(id), `${had} ${what}`.trim());
  listeners.forEach((l) => l());
}

const briefKey = (id: string) => `hellebore-brief-${id}`;

/** Whether somebody closed the brief of a lab in this browser. */
export const briefClosed = (id: string) => localStorage.getItem(briefKey(id)) !== null;

export function closeBrief(id: string, closed: boolean) {
  if (closed) localStorage.setItem(briefKey(id), 'closed');
  else localStorage.removeItem(briefKey(id));
}

export function forgetLooks(id: string) {
  localStorage.removeItem(key(id));
  closeBrief(id, false);
  listeners.forEach((l) => l());
}

/** Notes that something is looked at, as long as it is named. */
export function useLook(id: string, what: string) {
  useEffect(() => {
    if (what) noteLook(id, what);
  }, [id, what]);
}

/** Whether something was looked at, for all that can be. */
export function useLooks(id: string): (what: string) => boolean {
  const seen = useSyncExternalStore(
    (changed) => {
      listeners.add(changed);
      return () => listeners.delete(changed);
    },
    () => read(id),
  );
  return (what) => seen.split(' ').includes(what);
}
