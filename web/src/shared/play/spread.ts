import type { Flight, Occurrence } from '../api/client';

/** A part of the spread of an LSA or a prefix: a packet that brings it, or a table that it changes. */
export interface Part {
  at: number;
  device: string;
  /** Where it comes from, for a packet. */
  from: string;
  says: string;
  /** The first to bring it there, one more, one that only passes, one that is lost, or a change of a table. */
  kind: 'first' | 'again' | 'passes' | 'arrives' | 'loops' | 'lost' | 'table';
  flight: Flight | undefined;
}

export const deviceOfPort = (port: string) => port.split('.')[0] ?? port;

/** How the packets of a flow are called among what can be followed. */
const flowOf = (f: Flight) => (f.class === 'flow' ? `flow ${f.kind}` : undefined);

export const carries = (f: Flight, of: string) =>
  flowOf(f) === of || (f.carries?.some((c) => c.of === of) ?? false);

/** All that can be followed: flows, then what is carried in the order in which it is first seen. */
export const cargoes = (flights: Flight[]) => [
  ...new Set([
    ...flights.flatMap((f) => flowOf(f) ?? []),
    ...flights.flatMap((f) => f.carries?.map((c) => c.of) ?? []),
  ]),
];

/** Whether an event belongs to what is followed. */
export const concerns = (e: Occurrence, of: string) => e.about === of || (of !== '' && e.text.includes(of));

/** How something spreads: each packet that brings it, and each table that it changes, by time. */
export function spreadOf(flights: Flight[], events: Occurrence[], of: string): Part[] {
  const out: Part[] = [];
  const has = new Set<string>(); // devices, each with what they were told
  const carried = flights.filter((f) => carries(f, of)).sort((a, b) => a.until - b.until);
  for (const f of carried) {
    const says = f.carries?.find((c) => c.of === of)?.says ?? '';
    const device = deviceOfPort(f.to);
    const from = deviceOfPort(f.from);
    has.add(`${from} ${says}`); // who sends it has it
    let kind: Part['kind'] = 'first';
    if (f.lost !== undefined) kind = 'lost';
    else if (f.loops) kind = 'loops';
    else if (f.transit) kind = 'passes';
    else if (f.class === 'flow') kind = 'arrives';
    else if (has.has(`${device} ${says}`)) kind = 'again';
    else has.add(`${device} ${says}`);
    out.push({ at: f.until, device, from, says: f.lost ?? says, kind, flight: f });
  }
  for (const e of events)
    if (concerns(e, of))
      out.push({ at: e.at, device: e.device, from: '', says: e.text, kind: 'table', flight: undefined });
  return out.sort((a, b) => a.at - b.at);
}

export const partWords: Record<Part['kind'], string> = {
  first: 'first',
  again: 'has it already',
  passes: 'forwards it',
  arrives: 'arrives',
  loops: 'was here before',
  lost: 'lost',
  table: '',
};
