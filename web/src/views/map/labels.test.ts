import { expect, test } from 'vitest';
import type { MapData, MapEnd } from '../../shared/api/client';
import { cardSize } from './graph';
import { arc } from './arc';
import {
  bendOf,
  costOf,
  labelsOf,
  markOf,
  placer,
  sessionId,
  sizeOf,
  stopOf,
  stopPlaces,
  tablesOf,
  waitsOf,
  whyOf,
  besideSize,
} from './labels';
import { costPlaces, lineBetween, markPlaces, reversed, type Box } from './line';
import { endWords, markWords, shortMarkWords } from './words';

const meet = (a: Box, b: Box) =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;

/** Numbers that look random, the same each time. */
function dice(seed: number) {
  let s = seed;
  return () => (s = (s * 48271) % 2147483647) / 2147483647;
}

test('a text takes the first place where nothing is, and keeps it', () => {
  const put = placer([{ x: 0, y: 0, width: 100, height: 40 }]);
  const size = { width: 20, height: 20 };
  expect(
    put(
      [
        { x: 50, y: 20 },
        { x: 105, y: 20 },
        { x: 130, y: 20 },
      ],
      size,
    ),
  ).toBe(2);
  expect(
    put(
      [
        { x: 135, y: 25 },
        { x: 160, y: 20 },
      ],
      size,
    ),
  ).toBe(1);
  expect(put([{ x: 50, y: 20 }], size)).toBeUndefined();
});

test('no text of a map covers a card or another text, however the cards stand', () => {
  let shown = 0;
  let omitted = 0;
  for (let seed = 1; seed <= 40; seed++) {
    const random = dice(seed);
    const n = 3 + Math.floor(random() * 14);
    const places: Record<string, { x: number; y: number }> = {};
    const devices = Array.from({ length: n }, (_, i) => {
      places[`r${i}`] = { x: random() * 1100, y: random() * 700 };
      return { name: `r${i}`, kind: 'router' };
    });
    const end = (device: string): MapEnd => ({
      device,
      port: 'e1',
      up: random() > 0.2,
      why: 'no carrier',
      cost: 10,
      silent: false,
      tags: [],
    });
    const two = () => [`r${Math.floor(random() * n)}`, `r${Math.floor(random() * n)}`] as const;
    const links = Array.from({ length: n * 2 }, (_, i) => ({
      id: `l${i}`,
      kind: 'link',
      ends: two().map(end),
    })).filter((l) => l.ends[0]?.device !== l.ends[1]?.device);
    const sessions = Array.from({ length: n }, () => {
      const [a, b] = two();
      return {
        a,
        b,
        peer: `10.0.0.${a}${b}`,
        up: random() > 0.5,
        state: 'Active',
        why: 'there is no route to it',
        linked: random() > 0.5,
      };
    }).filter((s, i, all) => s.a !== s.b && all.findIndex((o) => sessionId(o) === sessionId(s)) === i);
    const map = { devices, links, virtual: [], flows: [], sessions } as unknown as MapData;
    const scale = 1 + random();
    const beside = [
      { name: stopOf('r0'), device: 'r0', lines: ['r0 has no route to 10.0.0.1'] },
      { name: waitsOf('r1'), device: 'r1', lines: ['1. 0.072 s: LSAs are flooded', '2. 0.05 s: SPF'] },
    ].slice(0, Math.floor(random() * 3));
    const after = devices
      .filter(() => random() > 0.5)
      .map((d) => ({ name: tablesOf(d.name), device: d.name, lines: ['+3 -2'] }));
    const texts = labelsOf(map, places, scale, {
      arcs: true,
      costs: true,
      notes: [],
      beside,
      after,
    });

    const card = (name: string): Box => ({ ...(places[name] ?? { x: 0, y: 0 }), ...cardSize.router });
    const boxes = devices.map((d) => card(d.name));
    const cards = boxes.length;
    const add = (at: { x: number; y: number } | undefined, words: string, mark: boolean) => {
      if (!at) {
        omitted++;
        return;
      }
      const { width, height } = sizeOf(words, scale, mark);
      boxes.push({ x: at.x - width / 2, y: at.y - height / 2, width, height });
    };
    const pairs = new Map<string, number>();
    for (const l of map.links) {
      const [a, b] = l.ends;
      if (!a || !b) continue;
      const pair = [a.device, b.device].sort().join(' ');
      const nth = pairs.get(pair) ?? 0;
      pairs.set(pair, nth + 1);
      const line = lineBetween(card(a.device), card(b.device), nth);
      const full = texts.has(whyOf(l.id));
      const fault = full ? markWords(l) : shortMarkWords(l);
      const size = sizeOf(fault, scale, true);
      const place = texts.get(full ? whyOf(l.id) : markOf(l.id));
      if (fault) {
        add(markPlaces(line, size.width, size.height)[place ?? -1], fault, true);
        expect(place).toBeDefined(); // what is wrong is always said
      }
      add(costPlaces(line)[texts.get(costOf(l.id, 'near')) ?? -1], endWords(a), false);
      add(costPlaces(reversed(line))[texts.get(costOf(l.id, 'far')) ?? -1], endWords(b), false);
    }
    for (const s of map.sessions.filter((x) => !x.up)) {
      const middle = (name: string) => ({ x: card(name).x + 68, y: card(name).y + 22 });
      const at = arc(middle(s.a), middle(s.b), bendOf(s)).places;
      const id = sessionId(s);
      if (texts.has(whyOf(id))) add(at[texts.get(whyOf(id)) ?? -1], `${s.state}: ${s.why ?? ''}`, true);
      else add(at[texts.get(markOf(id)) ?? -1], s.state, true);
    }
    for (const b of [...beside, ...after]) {
      const at = texts.get(b.name);
      const size = besideSize(b.lines, scale);
      const middle = at === undefined ? undefined : stopPlaces(card(b.device), size)[at];
      if (middle) boxes.push({ x: middle.x - size.width / 2, y: middle.y - size.height / 2, ...size });
    }
    shown += boxes.length - cards;
    // The cards themselves stand anyhow here: they are not held against each other.
    for (let i = cards; i < boxes.length; i++)
      for (let j = 0; j < i; j++) {
        const [a, b] = [boxes[i], boxes[j]];
        expect(a && b && meet(a, b)).toBe(false);
      }
  }
  expect(shown).toBeGreaterThan(omitted);
});

test('a device that is off is said by its card, and not by its links', () => {
  const end = (code: string) => ({ up: false, code, why: code, silent: false }) as unknown as MapEnd;
  const link = (cut: boolean, ...codes: string[]) => ({ kind: 'link', cut, ends: codes.map(end) }) as never;
  expect(markWords(link(false, 'device-disabled', 'far-device-disabled'))).toBe('');
  expect(markWords(link(true, 'device-disabled', 'link-cut'))).toBe('cut, no carrier');
  expect(markWords(link(false, 'port-disabled', 'far-port-disabled'))).toBe('port-disabled');
  expect(shortMarkWords(link(false, 'device-disabled', 'far-device-disabled'))).toBe('');
  expect(shortMarkWords(link(true, 'device-disabled', 'link-cut'))).toBe('cut');
  expect(shortMarkWords(link(false, 'port-disabled', 'far-port-disabled'))).toBe('down');
});
