import { expect, test } from 'vitest';
import type { Flight, Occurrence } from '../api/client';
import { cargoes, spreadOf } from './spread';

const lsa = 'router LSA of 10.255.0.1';
const flight = (from: string, to: string, until: number, more: Partial<Flight> = {}): Flight => ({
  at: until - 1,
  until,
  from,
  to,
  class: 'flooding',
  kind: 'Link State Update',
  carries: [{ of: lsa, says: 'sequence 2' }],
  ...more,
});

test('an LSA spreads from who sends it: first, again, lost, and passed on', () => {
  const flights = [
    flight('mill.e1', 'halt.e1', 2),
    flight('mill.e2', 'weir.e1', 4),
    flight('halt.e2', 'weir.e2', 3),
    flight('weir.e1', 'mill.e2', 5),
    flight('weir.e3', 'ford.e1', 6, { lost: 'packets are lost' }),
    flight('weir.e4', 'gate.e1', 7, { transit: true }),
    flight('mill.e1', 'halt.e1', 9, { carries: [{ of: lsa, says: 'sequence 3' }] }),
    flight('mill.e1', 'halt.e1', 9, { carries: [{ of: 'another', says: '' }] }),
  ];
  const events: Occurrence[] = [
    {
      at: 1,
      device: 'mill',
      lane: 'flooding',
      word: 'LSA originated',
      text: `originated ${lsa}, sequence 2`,
    },
    { at: 8, device: 'halt', lane: 'spf', word: 'SPF', text: 'computed routes' },
  ];
  expect(spreadOf(flights, events, lsa).map((p) => [p.at, p.from, p.device, p.kind])).toEqual([
    [1, '', 'mill', 'table'],
    [2, 'mill', 'halt', 'first'],
    [3, 'halt', 'weir', 'first'],
    [4, 'mill', 'weir', 'again'],
    [5, 'weir', 'mill', 'again'],
    [6, 'weir', 'ford', 'lost'],
    [7, 'weir', 'gate', 'passes'],
    [9, 'mill', 'halt', 'first'],
  ]);
  expect(cargoes(flights)).toEqual([lsa, 'another']);
});

test('the tables that a prefix changes are part of its way', () => {
  const table: Occurrence = {
    at: 3,
    device: 'halt',
    lane: 'forwarding',
    word: 'table changed',
    text: '10.0.0.0/8: nothing to 10.1.1.1',
    about: '10.0.0.0/8',
  };
  expect(spreadOf([], [table, { ...table, about: '10.1.0.0/16', text: '' }], '10.0.0.0/8')).toHaveLength(1);
});

test('a packet of a flow is followed leg by leg: passed on, round in a loop, lost, or it arrives', () => {
  const leg = (from: string, to: string, until: number, more: Partial<Flight> = {}) =>
    flight(from, to, until, { class: 'flow', kind: 'tickets', carries: [], transit: true, ...more });
  const flights = [
    leg('gate.eth', 'mill.lan', 1),
    leg('mill.e1', 'halt.e1', 2),
    leg('halt.e1', 'mill.e1', 3, { loops: true }),
    leg('mill.e2', 'weir.e1', 4, { lost: 'the link has no carrier' }),
    leg('weir.e2', 'desk.eth', 9, { transit: false }),
    leg('weir.e2', 'desk.eth', 9, { kind: 'post' }),
  ];
  const lost = {
    at: 7,
    device: 'weir',
    lane: 'packet',
    word: 'packet lost',
    text: 'no route',
    about: 'flow tickets',
  };
  expect(cargoes(flights)).toEqual(['flow tickets', 'flow post']);
  expect(spreadOf(flights, [lost as Occurrence], 'flow tickets').map((p) => [p.device, p.kind])).toEqual([
    ['mill', 'passes'],
    ['halt', 'passes'],
    ['mill', 'loops'],
    ['weir', 'lost'],
    ['weir', 'table'],
    ['desk', 'arrives'],
  ]);
});
