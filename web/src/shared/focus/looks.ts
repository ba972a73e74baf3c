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

export function forgetLooks(id: string) {
  localStorage.removeItem(key(id));
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
