import { describe, expect, test } from 'vitest';
import type { Flight, Occurrence } from '../api/client';
import {
  afterQuiet,
  begunBy,
  between,
  fittingSpeed,
  inTheAir,
  nextStop,
  previousStop,
  progress,
  shownFlights,
  speeds,
  speedWords,
  stops,
  usual,
} from './stretch';

const flight = (at: number, until: number, more: Partial<Flight> = {}): Flight => ({
  at,
  until,
  from: 'mill.e1',
  to: 'halt.e1',
  class: 'flooding',
  kind: 'Link State Update',
  ...more,
});
const event = (at: number, lane: Occurrence['lane'] = 'spf', device = 'mill'): Occurrence => ({
  at,
  device,
  lane,
  word: 'SPF',
  text: '',
});

describe('a stretch that plays', () => {
  test('hellos are left out, unless they are lost', () => {
    const hello = flight(1, 2, { class: 'hello' });
    const lost = flight(1, 2, { class: 'hello', lost: 'packets are lost' });
    expect(shownFlights([hello, lost, flight(1, 2)], usual)).toEqual([lost, flight(1, 2)]);
    expect(shownFlights([hello], { without: [], device: 'halt' })).toEqual([hello]);
    expect(shownFlights([hello], { without: [], device: 'hal' })).toEqual([]);
  });
  test('steps go to what is chosen, there and back', () => {
    const s = {
      flights: [flight(1, 2), flight(1, 2), flight(4, 5, { lost: 'cut' })],
      events: [event(2), event(3, 'forwarding')],
    };
    expect(stops(s, 'packet')).toEqual([1, 4]);
    expect(stops(s, 'event')).toEqual([2, 3]);
    expect(stops(s, 'forwarding')).toEqual([3]);
    expect(stops(s, 'lost')).toEqual([4]);
    expect(nextStop([1, 4], 1)).toBe(4);
    expect(previousStop([1, 4], 4)).toBe(1);
    expect(nextStop([1, 4], 4)).toBeUndefined();
    expect(previousStop([1, 4], 1)).toBeUndefined();
  });
  test('a packet is where its time says; a lost one ends half way and stays a while', () => {
    expect(progress(flight(1, 3), 2)).toBe(0.5);
    expect(progress(flight(1, 3), 9)).toBe(1);
    expect(progress(flight(1, 3, { lost: 'cut' }), 2.9)).toBe(0.5);
    expect(inTheAir([flight(1, 3)], 3, 5)).toEqual([]);
    expect(inTheAir([flight(1, 3, { lost: 'cut' })], 4, 5)).toHaveLength(1);
  });
  test('what is quiet is skipped, up to a little before what comes', () => {
    const shown = { flights: [flight(1, 2), flight(50, 51)], events: [event(40)] };
    expect(afterQuiet(shown, 1.5, 1, 0.5)).toBe(1.5);
    expect(afterQuiet(shown, 2, 1, 0.5)).toBe(39);
    expect(afterQuiet(shown, 40.2, 1, 0.5)).toBe(40.2);
    expect(afterQuiet(shown, 60, 1, 0.5)).toBeUndefined();
  });
  test('the speed fits the links', () => {
    expect(fittingSpeed([flight(0, 0.001)])).toBe(1e-3);
    expect(fittingSpeed([flight(0, 0.02)])).toBe(1e-2);
    expect(fittingSpeed([])).toBe(1);
    expect(speeds.map(speedWords)).toEqual([
      '1 µs a second',
      '10 µs a second',
      '100 µs a second',
      '1 ms a second',
      '10 ms a second',
      '100 ms a second',
      'real time',
      '10 s a second',
      '1 min a second',
      '10 min a second',
      '1 hour a second',
    ]);
  });
});

test('what is on its way is found among thousands as it is among few', () => {
  let seed = 7;
  const random = () => (seed = (seed * 48271) % 2147483647) / 2147483647;
  const flights = Array.from({ length: 3000 }, () => {
    const at = Math.round(random() * 400) / 100;
    return { at, until: at + 0.01 + random() * 0.3, ...(random() > 0.8 ? { lost: 'lost' } : {}) } as Flight;
  }).sort((a, b) => a.at - b.at);
  for (let i = 0; i < 200; i++) {
    const t = i % 2 ? (flights[Math.floor(random() * 3000)]?.at ?? 0) : random() * 5;
    const stay = random() * 0.1;
    expect(inTheAir(flights, t, stay)).toEqual(
      flights.filter((f) => f.at <= t && t < f.until + (f.lost === undefined ? 0 : stay)),
    );
    expect(begunBy(flights, t)).toBe(flights.filter((f) => f.at <= t).length);
    expect(between(flights, t - stay, t)).toEqual(flights.filter((f) => f.at >= t - stay && f.at <= t));
  }
});
