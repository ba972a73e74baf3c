import { expect, test } from 'vitest';
import {
  currentAction,
  momentWords,
  readMoment,
  stepsAt,
  textAt,
  timeOf,
  typedMoment,
  type Life,
} from './moment';

const life: Life = {
  now: 90,
  actions: [
    { seq: 1, action: 'apply', start: 0, end: 42 },
    { seq: 2, action: 'cut viaduct.e2', start: 42, end: 60 },
    { seq: 3, action: 'apply', start: 60, end: 90 },
  ],
  moments: [{ name: 'calm', at: 50, step: 2 }],
};

test.each([
  ['now', { kind: 'now' }],
  ['', { kind: 'now' }],
  ['before-2', { kind: 'side', side: 'before', seq: 2 }],
  ['after-12', { kind: 'side', side: 'after', seq: 12 }],
  ['11.05', { kind: 'time', at: 11.05 }],
  ['calm', { kind: 'name', name: 'calm' }],
  ['before-lunch', { kind: 'name', name: 'before-lunch' }],
  ['2nd', { kind: 'name', name: '2nd' }],
])('%s is read', (when, moment) => expect(readMoment(when)).toEqual(moment));

test('a moment by its name is the moment by its time', () => {
  for (const of of [currentAction, stepsAt, textAt, timeOf]) expect(of(life, 'calm')).toEqual(of(life, '50'));
});

test('where a moment lies', () => {
  expect(['before-1', 'after-1', 'before-3', 'now', '55'].map((w) => stepsAt(life, w))).toEqual([
    0, 1, 2, 3, 2,
  ]);
  expect(['before-1', 'after-1', 'before-3', 'now', '55'].map((w) => textAt(life, w))).toEqual([
    0, 1, 1, 3, 1,
  ]);
  expect(['before-2', 'after-2', 'now', '55', 'calm'].map((w) => timeOf(life, w))).toEqual([
    42, 60, 90, 55, 50,
  ]);
  expect(currentAction(life, '55')).toEqual({ seq: 2, at: 55 });
  expect(currentAction(life, 'after-2')).toEqual({ seq: 2, at: undefined });
});

test('a moment in words names its action', () => {
  expect(momentWords(life, 'before-2')).toBe('before cut viaduct.e2');
  expect(momentWords(life, '42.05')).toBe('0.05 s after cut viaduct.e2');
  expect(momentWords(life, 'now')).toBe('now');
  expect(momentWords(life, 'calm')).toBe('calm');
  expect(momentWords(life, 'after-9')).toBe('after action 9');
});

test('typed times have a unit, and names must be known', () => {
  expect(
    ['12.5s', '12.5', 'calm', 'noon', 'before-2', 'now', ''].map((w) => typedMoment(w, ['calm'])),
  ).toEqual(['12.5', undefined, 'calm', undefined, 'before-2', 'now', undefined]);
});
