import ELK from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';
import { useEffect, useState } from 'react';
import type { MapData } from '../api/client';
import { toGraph } from './graph';
import { turnLevel } from './turn';

export type Places = Record<string, { x: number; y: number }>;

const elk = new ELK({ workerFactory: () => new Worker(workerUrl) });

/** The places of all cards, laid out in a worker; the same network always gets the same map. */
export function useLayout(map: MapData | undefined): Places | undefined {
  // Costs and faults do not move cards: only what is joined to what does.
  const shape = map ? JSON.stringify(toGraph(map)) : '';
  const [done, setDone] = useState<{ shape: string; places: Places }>();
  useEffect(() => {
    if (!shape) return;
    let current = true;
    void elk.layout(JSON.parse(shape)).then((out) => {
      if (!current) return;
      const cards = (out.children ?? []).map(({ id, x = 0, y = 0, width = 0, height = 0 }) => ({
        id,
        x,
        y,
        width,
        height,
      }));
      setDone({ shape, places: turnLevel(cards) });
    });
    return () => {
      current = false;
    };
  }, [shape]);
  return done?.places;
}
