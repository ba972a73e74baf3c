import { useCallback, useSyncExternalStore } from 'react';

const key = (lab: string) => `hellebore.read.${lab}`;
const listeners = new Set<() => void>();

/** The number of the last message of a lab that was seen in this browser, and the way to say that more were. */
export function useRead(lab: string): [number, (number: number) => void] {
  const read = useSyncExternalStore(
    (changed) => {
      listeners.add(changed);
      return () => listeners.delete(changed);
    },
    () => Number(localStorage.getItem(key(lab)) ?? 0),
  );
  const mark = useCallback(
    (number: number) => {
      localStorage.setItem(key(lab), String(number));
      listeners.forEach((l) => l());
    },
    [lab],
  );
  return [read, mark];
}
