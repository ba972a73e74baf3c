import { useStoreApi } from '@xyflow/react';
import { createContext, useContext, useEffect, useState } from 'react';

/** How long a zoom stands still before a large map's texts follow, in milliseconds. */
const still = 150;
/** With more cards than this, a map is large: to draw all its texts anew takes longer than a frame. */
const large = 100;

/**
 * The zoom of the map. On a large one it follows when whoever zooms stops; until then texts grow and shrink with the map. The first
 * one is that at which the map opens: texts that nobody could read are not drawn before.
 */
export function useZoom(cards: number): number {
  const store = useStoreApi();
  const [zoom, setZoom] = useState(() => store.getState().transform[2]);
  const waits = cards > large;
  useEffect(() => {
    let timer = 0;
    let seen = 0;
    let opens = true;
    const look = () => {
      const now = store.getState().transform[2];
      if (now === seen) return;
      seen = now;
      window.clearTimeout(timer);
      if (waits && !opens) timer = window.setTimeout(() => setZoom(seen), still);
      else setZoom(seen);
    };
    look();
    const leave = store.subscribe(() => {
      const before = seen;
      look();
      opens = opens && seen === before;
    });
    return () => {
      window.clearTimeout(timer);
      leave();
    };
  }, [store, waits]);
  return zoom;
}

/** How much larger than it says a text is on the map, so that it keeps its size on the screen when that is small; in steps. */
export const textScale = (zoom: number) => Math.ceil(Math.max(1, 1 / zoom) * 5) / 5;

export const TextScale = createContext(1);
export const useTextScale = () => useContext(TextScale);
