import type { MapData, MapDevice, MapEnd } from '../../shared/api/client';
import { cardSize, segmentId } from './graph';
import { arc } from './arc';
import type { Places } from './layout';
import {
  barOf,
  costPlaces,
  lineBetween,
  markPlaces,
  middleOf,
  reversed,
  type Box,
  type Line,
  type Point,
} from './line';
import { endWords, markWords, sessionWords, shortMarkWords, virtualWords } from './words';

/** Which of its places each text of the map has, by its name; one that is not there has no room. */
export type Labels = ReadonlyMap<string, number>;

export const costOf = (edge: string, end: 'near' | 'far') => `${edge} ${end}`;
export const markOf = (edge: string) => `${edge} mark`;
/** What is wrong with a link or a session, in full if there is room for that, else its mark in a word. */
export const whyOf = (edge: string) => `${edge} why`;

export const stopOf = (device: string) => `${device} stop`;
export const waitsOf = (device: string) => `${device} waits`;
export const tablesOf = (device: string) => `${device} tables`;

/** A note beside a card, by its name among the labels; a single line of it may be wrapped. */
export interface Beside {
  name: string;
  device: string;
  lines: string[];
}

/** How large a note beside a card is on the map: as wide as its lines, a single one at most a third of a window. */
export function besideSize(lines: string[], scale: number) {
  const longest = Math.max(...lines.map((l) => l.length));
  return lines.length === 1
    ? { width: Math.min(longest * 6.4 + 22, 284) * scale, height: (16 * Math.ceil(longest / 36) + 8) * scale }
    : { width: (longest * 6.4 + 22) * scale, height: (16 * lines.length + 8) * scale };
}

/** The sides of a card where it may be said why packets end there, the first that is free; left and right are aligned with its top. */
export const stopSides = ['below', 'below left', 'above', 'above left', 'right', 'left'] as const;
export type StopSide = (typeof stopSides)[number];

/** The middle of a note of a size on each side of a card. */
export function stopPlaces(card: Box, { width: w, height: h }: { width: number; height: number }): Point[] {
  const at: Record<StopSide, Point> = {
    below: { x: card.x + w / 2, y: card.y + card.height + 5 + h / 2 },
    'below left': { x: card.x + card.width - w / 2, y: card.y + card.height + 5 + h / 2 },
    above: { x: card.x + w / 2, y: card.y - 5 - h / 2 },
    'above left': { x: card.x + card.width - w / 2, y: card.y - 5 - h / 2 },
    right: { x: card.x + card.width + 5 + w / 2, y: card.y + h / 2 },
    left: { x: card.x - 5 - w / 2, y: card.y + h / 2 },
  };
  return stopSides.map((s) => at[s]);
}

const bends = { linked: 0.16, apart: 0.1, virtual: 0.22 };
export const bendOf = (s: { linked: boolean }) => (s.linked ? bends.linked : bends.apart);
export const virtualBend = bends.virtual;

/** How large a text is on the map, by its letters; a mark has room around it. */
export const sizeOf = (words: string, scale: number, mark: boolean) => ({
  width: (words.length * 6.4 + (mark ? 16 : 2)) * scale,
  height: (mark ? 20 : 14) * scale,
});

/** Where the routing instances of a router are: side by side below its card. */
export function baysOf(d: MapDevice, card: Box | undefined, scale: number): (Box & { name: string })[] {
  if (!card) return [];
  let x = card.x + 6 * scale;
  return (d.instances ?? []).map(({ name }) => {
    const { width } = sizeOf(name, scale, true);
    const bay = { name, x, y: card.y + card.height, width, height: 17 * scale };
    x += width + 3 * scale;
    return bay;
  });
}

/** Puts texts where they cover no card and no text that was put before. */
export function placer(cards: Box[]) {
  // Boxes by the squares that they touch: a map of a thousand texts is not compared with itself.
  const side = 160;
  const squares = new Map<string, Box[]>();
  const touched = (b: Box) => {
    const out: string[] = [];
    for (let x = Math.floor(b.x / side); x <= Math.floor((b.x + b.width) / side); x++)
      for (let y = Math.floor(b.y / side); y <= Math.floor((b.y + b.height) / side); y++)
        out.push(`${x} ${y}`);
    return out;
  };
  const take = (b: Box) => {
    for (const s of touched(b)) squares.set(s, [...(squares.get(s) ?? []), b]);
  };
  const free = (b: Box) =>
    touched(b).every((s) =>
      (squares.get(s) ?? []).every(
        (o) => b.x >= o.x + o.width || o.x >= b.x + b.width || b.y >= o.y + o.height || o.y >= b.y + b.height,
      ),
    );
  cards.forEach(take);
  return (places: Point[], { width, height }: { width: number; height: number }): number | undefined => {
    const box = (p: Point) => ({ x: p.x - width / 2, y: p.y - height / 2, width, height });
    const at = places.findIndex((p) => free(box(p)));
    const place = places[at];
    if (!place) return undefined;
    take(box(place));
    return at;
  };
}

/** Where the texts of all links and sessions are: what is wrong first, then the costs where there is room. */
export function labelsOf(
  map: MapData,
  places: Places,
  scale: number,
  shown: { arcs: boolean; costs: boolean; notes: Box[]; beside: Beside[]; after?: Beside[] },
): Labels {
  const cards = new Map<string, Box>();
  for (const d of map.devices)
    cards.set(d.name, { ...(places[d.name] ?? { x: 0, y: 0 }), ...cardSize[d.kind] });
  for (const l of map.links)
    if (l.kind === 'segment')
      cards.set(segmentId(l), { ...(places[segmentId(l)] ?? { x: 0, y: 0 }), ...cardSize.segment });
  const bays = map.devices.flatMap((d) => baysOf(d, cards.get(d.name), scale));
  const put = placer([...cards.values(), ...bays, ...shown.notes]);
  const out = new Map<string, number>();
  const set = (name: string, at: Point[], words: string, mark: boolean) => {
    const found = put(at, sizeOf(words, scale, mark));
    if (found !== undefined) out.set(name, found);
    return found !== undefined;
  };
  const corners = [...cards.values()];
  const edges = {
    left: Math.min(...corners.map((c) => c.x)),
    right: Math.max(...corners.map((c) => c.x + c.width)),
  };
  const beside = ({ name, device, lines }: Beside) => {
    const card = cards.get(device);
    if (!card) return;
    const size = besideSize(lines, scale);
    const at = stopPlaces(card, size);
    // What stands out beyond all cards may be out of the window as well.
    const inside = (p: Point) => p.x - size.width / 2 >= edges.left && p.x + size.width / 2 <= edges.right;
    const order = [...at.filter(inside), ...at.filter((p) => !inside(p))];
    const place = order[put(order, size) ?? -1];
    if (place) out.set(name, at.indexOf(place));
  };
  shown.beside.forEach(beside);
  const lines = linesOf(map, cards);
  for (const { id, line, fault, short } of lines) {
    if (!fault) continue;
    const at = (words: string) => {
      const { width, height } = sizeOf(words, scale, true);
      return markPlaces(line, width, height);
    };
    if (!set(whyOf(id), at(fault), fault, true)) set(markOf(id), at(short), short, true);
  }
  for (const s of shown.arcs ? map.sessions.filter((x) => !x.up) : []) {
    const [a, b] = [cards.get(s.a), cards.get(s.b)];
    if (!a || !b) continue;
    const id = sessionId(s);
    const at = arc(middleOf(a), middleOf(b), bendOf(s)).places;
    const why = sessionWords(s);
    if (why === s.state || !set(whyOf(id), at, why, true)) set(markOf(id), at, s.state, true);
  }
  for (const v of map.virtual) {
    const [a, b] = [cards.get(v.a), cards.get(v.b)];
    if (a && b)
      set(markOf(virtualId(v)), arc(middleOf(a), middleOf(b), virtualBend).places, virtualWords(v), true);
  }
  shown.after?.forEach(beside);
  for (const { id, line, ends } of shown.costs ? lines : [])
    for (const end of ['near', 'far'] as const) {
      const words = endWords(ends[end]);
      if (words) set(costOf(id, end), costPlaces(end === 'near' ? line : reversed(line)), words, false);
    }
  return out;
}

export const sessionId = (s: { a: string; peer: string; b: string }) => `session ${s.a} ${s.peer} ${s.b}`;
export const virtualId = (v: { a: string; port: string }) => `virtual ${v.a} ${v.port}`;

/** A link, or a port on a segment, as it is drawn: its edge's name, its line, what its texts say. */
interface Drawn {
  id: string;
  line: Line;
  fault: string;
  /** The same in a word. */
  short: string;
  ends: { near: MapEnd | undefined; far: MapEnd };
}

function linesOf(map: MapData, cards: Map<string, Box>): Drawn[] {
  const pairs = new Map<string, number>();
  return map.links.flatMap((l): Drawn[] => {
    const between = (id: string, from: string, to: string, nth: number) => {
      const [a, b] = [cards.get(from), cards.get(to)];
      return a && b ? [{ id, line: lineBetween(l.kind === 'segment' ? barOf(a) : a, b, nth) }] : [];
    };
    if (l.kind === 'segment')
      return l.ends.flatMap((e, i) =>
        between(`${l.id}/${i}`, segmentId(l), e.device, 0).map((x) => ({
          ...x,
          fault: markWords(l, e),
          short: shortMarkWords(l, e),
          ends: { near: undefined, far: e },
        })),
      );
    const [a, b] = l.ends;
    if (!a || !b) return [];
    const pair = [a.device, b.device].sort().join(' ');
    const nth = pairs.get(pair) ?? 0;
    pairs.set(pair, nth + 1);
    return between(l.id, a.device, b.device, nth).map((x) => ({
      ...x,
      fault: markWords(l),
      short: shortMarkWords(l),
      ends: { near: a, far: b },
    }));
  });
}
