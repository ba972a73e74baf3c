import { useCallback, useState } from 'react';
import { http, unwrap, type MapData } from '../../shared/api/client';
import { cardSize } from './graph';
import type { Places } from './layout';

/** The size of a card by its ID. */
export const sizeOf = (map: MapData, id: string) =>
  id.startsWith('segment:')
    ? cardSize.segment
    : cardSize[map.devices.find((d) => d.name === id)?.kind ?? 'router'];

/** What the lab calls a card: a device by its name, a segment by "segment" and its name. */
export const labName = (id: string) => id.replace(/^segment:/, 'segment ');

/** The places of the lab, which are those of the middles of cards, as places of their corners. */
export function cornersOf(map: MapData): Places {
  const out: Places = {};
  for (const [name, at] of Object.entries(map.places)) {
    const id = name.replace(/^segment /, 'segment:');
    const size = sizeOf(map, id);
    out[id] = { x: at.x - size.width / 2, y: at.y - size.height / 2 };
  }
  return out;
}

const keep = (id: string, places: Record<string, { x: number; y: number }>) =>
  unwrap(http.PUT('/api/labs/{id}/places', { params: { path: { id } }, body: { places } }));

/** Where somebody drags cards to: shown at once, and kept by the lab when they let go. */
export function useDragged(id: string, map: MapData | undefined) {
  const [dragged, setDragged] = useState<Places>({});
  const drag = useCallback(
    (card: string, place: { x: number; y: number }) => setDragged((p) => ({ ...p, [card]: place })),
    [],
  );
  /** Cards that were let go, by their corners. */
  const drop = (cards: { id: string; position: { x: number; y: number } }[]) => {
    if (!map) return;
    const places = Object.fromEntries(
      cards.map((c) => {
        const size = sizeOf(map, c.id);
        const middle = {
          x: Math.round(c.position.x + size.width / 2),
          y: Math.round(c.position.y + size.height / 2),
        };
        return [labName(c.id), middle];
      }),
    );
    void keep(id, places);
  };
  const clear = () => {
    setDragged({});
    void keep(id, {});
  };
  return { dragged, drag, drop, clear };
}
