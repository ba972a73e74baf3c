import { useCallback, useSyncExternalStore } from 'react';

const key = (lab: string) => `hellebore.read.${lab}`;
const listeners = new Set<() => void>();

/**
 * The number of the last message of a lab that was seen in this browser, the way to say that more were, and whether
 * anybody has looked before.
 */
export function useRead(lab: string): [number, (number: number) => void, boolean] {
  const read = useSyncExternalStore(
    (changed) => {
      listeners.add(changed);
      return () => listeners.delete(changed);
    },
    () => localStorage.getItem(key(lab)),
  );
  const mark = useCallback(
    (number: number) => {
      localStorage.setItem(key(lab), String(number));
      listeners.forEach((l) => l());
    },
    [lab],
  );
  return [Number(read ?? 0), mark, read !== null];
}
