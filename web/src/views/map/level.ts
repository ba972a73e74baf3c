/** How much the cards say: all, name and address, their names, or only that they are there. */
export type Level = 'cards' | 'addresses' | 'names' | 'dots';

/** The room that a name takes on the screen, in pixels. */
const nameRoom = 60;

/** What fits at a zoom, if cards are so far from each other. */
export function levelOf(zoom: number, spacing: number): Level {
  if (zoom >= 0.95) return 'cards';
  if (zoom >= 0.68) return 'addresses';
  return zoom * spacing >= nameRoom ? 'names' : 'dots';
}

/** How far a card is from the nearest other, by and large: half of them have more room. */
export function spacingOf(places: { x: number; y: number }[]): number {
  if (places.length < 2) return Infinity;
  const nearest = places.map((a) =>
    // A name is wide and not high: what is above or below is less in its way.
    Math.min(...places.map((b) => (a === b ? Infinity : Math.hypot(b.x - a.x, 2.5 * (b.y - a.y))))),
  );
  return nearest.sort((a, b) => a - b)[Math.floor(nearest.length / 4)] ?? Infinity;
}
