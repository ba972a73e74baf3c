import { useCallback, useState } from 'react';
import type { Places } from './layout';

const key = (id: string) => `hellebore-pins-${id}`;

function read(id: string): Places {
  try {
    return (JSON.parse(localStorage.getItem(key(id)) ?? '{}') as Places | null) ?? {};
  } catch {
    return {}; // what cannot be read pins nothing
  }
}

/** The cards that somebody has put in a place of their own; kept in this browser. */
export function usePins(id: string) {
  const [pins, setPins] = useState(() => read(id));
  const pin = useCallback(
    (card: string, place: { x: number; y: number }) => setPins((p) => ({ ...p, [card]: place })),
    [],
  );
  const keep = useCallback(() => setPins((p) => (localStorage.setItem(key(id), JSON.stringify(p)), p)), [id]);
  const clear = useCallback(() => {
    localStorage.removeItem(key(id));
    setPins({});
  }, [id]);
  return { pins, pin, keep, clear };
}
