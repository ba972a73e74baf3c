import type { Flight, MapLink } from '../../shared/api/client';
import { cableOf, portName } from '../../shared/focus/focus';
import { offsetsOf, segmentId } from './graph';
import { barOf, lineBetween, type Box, type Line, type Point } from './line';

interface Wire {
  link: MapLink;
  offset: number;
  end: number;
}

/** What each port is joined to. */
export function wiresOf(links: MapLink[]): Map<string, Wire> {
  const offsets = offsetsOf(links);
  const out = new Map<string, Wire>();
  for (const link of links)
    link.ends.forEach((e, end) => out.set(portName(e), { link, offset: offsets.get(link.id) ?? 0, end }));
  return out;
}

/** The lines that a packet takes, one after the other; empty if it is on nothing that is drawn. */
export function wayOf(
  f: Pick<Flight, 'from' | 'to'>,
  wires: Map<string, Wire>,
  box: (id: string) => Box | undefined,
): Line[] {
  const wire = wires.get(cableOf(f.from)) ?? wires.get(f.from);
  const far = wires.get(cableOf(f.to)) ?? wires.get(f.to);
  const from = box(f.from.split('.')[0] ?? '');
  const to = box(f.to.split('.')[0] ?? '');
  if (!wire || !far || wire.link !== far.link || !from || !to) return [];
  if (wire.link.kind === 'segment') {
    const middle = box(segmentId(wire.link));
    if (!middle) return [];
    const bar = barOf(middle);
    return [lineBetween(from, bar, 0), lineBetween(bar, to, 0)];
  }
  // Lines beside each other keep their sides from either end.
  const l = wire.end === 0 ? lineBetween(from, to, wire.offset) : undefined;
  if (l) return [l];
  const back = lineBetween(to, from, wire.offset);
  return [{ x1: back.x2, y1: back.y2, x2: back.x1, y2: back.y1 }];
}

/** The point at a share of a way, and the direction there. */
export function pointOn(way: Line[], share: number): (Point & { angle: number }) | undefined {
  const n = way.length;
  const l = way[Math.min(n - 1, Math.floor(share * n))];
  if (!l) return undefined;
  const part = share * n - Math.min(n - 1, Math.floor(share * n));
  return {
    x: l.x1 + (l.x2 - l.x1) * part,
    y: l.y1 + (l.y2 - l.y1) * part,
    angle: Math.atan2(l.y2 - l.y1, l.x2 - l.x1),
  };
}
