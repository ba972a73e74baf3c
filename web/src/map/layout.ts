import ELK from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';
import { useEffect, useState } from 'react';
import type { MapData } from '../api/client';
import { toGraph } from './graph';

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
      setDone({
        shape,
        places: Object.fromEntries((out.children ?? []).map((c) => [c.id, { x: c.x ?? 0, y: c.y ?? 0 }])),
      });
    });
    return () => {
      current = false;
    };
  }, [shape]);
  return done?.places;
}
