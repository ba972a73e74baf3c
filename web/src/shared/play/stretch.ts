import type { Flight, Occurrence, Stretch } from '../api/client';

/** What of a stretch of time is shown: classes of packets, a device, a word of a packet's kind. */
export interface Filter {
  /** Classes of packets that are left out, unless they are lost. */
  without: Flight['class'][];
  /** A device that packets come from or go to, and events happen on; '' for all. */
  device: string;
}

/** What neighbours and peers send all the time says little. */
export const usual: Filter = { without: ['hello', 'keepalive'], device: '' };

const at = (port: string, device: string) => port === device || port.startsWith(`${device}.`);

/** The packets that are shown. */
export const shownFlights = (flights: Flight[], f: Filter) =>
  flights.filter(
    (x) =>
      (x.lost !== undefined || !f.without.includes(x.class)) &&
      (f.device === '' || at(x.from, f.device) || at(x.to, f.device)),
  );

export const shownEvents = (events: Occurrence[], f: Filter) =>
  f.device === '' ? events : events.filter((e) => e.device === f.device);

/** What one steps to. */
export type Stop = 'event' | 'packet' | 'forwarding' | 'lost';

/** The times of what one steps to, in order, each once. */
export function stops(stretch: Pick<Stretch, 'flights' | 'events'>, what: Stop): number[] {
  const times = {
    event: () => stretch.events.map((e) => e.at),
    packet: () => stretch.flights.map((f) => f.at),
    forwarding: () => stretch.events.filter((e) => e.lane === 'forwarding').map((e) => e.at),
    lost: () => [
      ...stretch.flights.filter((f) => f.lost !== undefined).map((f) => f.at),
      ...stretch.events.filter((e) => e.lane === 'packet').map((e) => e.at),
    ],
  }[what]();
  return [...new Set(times)].sort((a, b) => a - b);
}

/** A billionth of a second: the simulation's times are whole ones. */
const tick = 1e-9;

export const nextStop = (times: number[], t: number) => times.find((x) => x > t + tick / 2);
export const previousStop = (times: number[], t: number) => times.findLast((x) => x < t - tick / 2);

/** How many of a list, in order of time, begin at a time or before. */
export function begunBy(list: { at: number }[], t: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((list[middle]?.at ?? Infinity) <= t) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Those of a list, in order of time, that begin in a stretch, both ends included. */
export const between = <T extends { at: number }>(list: T[], from: number, to: number): T[] => {
  let first = begunBy(list, from);
  while (first > 0 && list[first - 1]?.at === from) first--;
  return list.slice(first, begunBy(list, to));
};

const longest = new WeakMap<Flight[], number>();

/** How long a packet of a list is on its way at most. */
function longestOf(flights: Flight[]): number {
  let most = longest.get(flights);
  if (most === undefined) {
    most = 0;
    for (const f of flights) most = Math.max(most, f.until - f.at);
    longest.set(flights, most);
  }
  return most;
}

/** The packets, in order of time, that are on their way at a time, or were a while ago. */
export const around = (flights: Flight[], t: number, stay: number) =>
  between(flights, t - longestOf(flights) - stay, t).filter((f) => t < f.until + stay);

/** The packets that are on their way at a time; lost ones stay for a while. */
export const inTheAir = (flights: Flight[], t: number, stay: number) =>
  around(flights, t, stay).filter((f) => t < f.until + (f.lost === undefined ? 0 : stay));

/** How far along a packet is, from 0 to 1; one that is lost ends half way. */
export function progress(f: Flight, t: number): number {
  const p = (t - f.at) / Math.max(tick, f.until - f.at);
  return Math.max(0, Math.min(f.lost === undefined ? 1 : 0.5, p));
}

/** Where time goes on when nothing is to be seen: a little before the next thing, undefined if there is none. */
export function afterQuiet(
  shown: { flights: Flight[]; events: Occurrence[] },
  t: number,
  lead: number,
  stay: number,
): number | undefined {
  if (inTheAir(shown.flights, t, stay).length > 0) return t;
  if (between(shown.events, t - stay, t).some((e) => t < e.at + stay)) return t;
  const next = Math.min(
    shown.flights[begunBy(shown.flights, t)]?.at ?? Infinity,
    shown.events[begunBy(shown.events, t)]?.at ?? Infinity,
  );
  if (next === Infinity) return undefined;
  return Math.max(t, next - lead);
}

/** Speeds in virtual seconds a second, slowest first. */
export const speeds = [1e-6, 1e-5, 1e-4, 1e-3, 1e-2, 0.1, 1, 10, 60, 600, 3600];

export function speedWords(s: number): string {
  if (s >= 3600) return '1 hour a second';
  if (s >= 60) return `${s / 60} min a second`;
  if (s >= 1) return s === 1 ? 'real time' : `${s} s a second`;
  if (s >= 1e-3) return `${Math.round(s * 1e3)} ms a second`;
  return `${Math.round(s * 1e6)} µs a second`;
}

/** The speed at which a packet is on its way for the better part of a second. */
export function fittingSpeed(flights: Flight[]): number {
  const took = flights.map((f) => f.until - f.at).sort((a, b) => a - b);
  const middle = took[Math.floor(took.length / 2)] ?? 1;
  const wanted = middle / 0.7;
  return speeds.reduce((best, s) =>
    Math.abs(Math.log(s / wanted)) < Math.abs(Math.log(best / wanted)) ? s : best,
  );
}
