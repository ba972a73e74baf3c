import { expect, test } from 'vitest';
import type { MapData, Sketch } from '../../shared/api/client';
import { draftedOf } from './drafted';
import { cornersOf, labName } from './places';

const end = (device: string, port: string) => ({ device, port, up: true, silent: false, tags: [] });
const device = (name: string, kind: 'router' | 'host' = 'router') => ({
  name,
  kind,
  addresses: [],
  areas: [],
  roles: [],
  enabled: true,
  reflector: false,
  services: [],
});
const map: MapData = {
  devices: [device('mill'), device('halt'), device('gate', 'host')],
  links: [
    {
      id: 'mill.e1 halt.e1',
      kind: 'link',
      ends: [end('mill', 'e1'), end('halt', 'e1')],
      cut: false,
      delay: '1ms',
      loss: 0,
    },
    {
      id: 'segment yard',
      kind: 'segment',
      name: 'yard',
      ends: [end('mill', 'lan'), end('gate', 'nic')],
      cut: false,
      delay: '1ms',
      loss: 0,
    },
  ],
  virtual: [],
  flows: [],
  sessions: [],
  places: { mill: { x: 100, y: 100 }, 'segment yard': { x: 10, y: 20 } },
};
const sketch = (more: Partial<Sketch> = {}): Sketch => ({
  devices: [
    { name: 'mill', kind: 'router', areas: [] },
    { name: 'halt', kind: 'router', areas: [] },
    { name: 'gate', kind: 'host', areas: [] },
  ],
  links: [{ a: 'halt.e1', b: 'mill.e1' }],
  segments: [{ name: 'yard', ports: ['mill.lan', 'gate'] }],
  ...more,
});

test('a draft that says the same adds nothing', () => {
  expect(draftedOf(map, sketch())).toEqual({ devices: [], segments: [], edges: [], gone: new Set() });
  expect(draftedOf(map, undefined).gone.size).toBe(0);
});

test('what a draft adds is drawn with what it joins', () => {
  const d = draftedOf(
    map,
    sketch({
      devices: [...sketch().devices, { name: 'ford', kind: 'router', areas: ['0'], at: { x: 5, y: 6 } }],
      links: [...sketch().links, { a: 'ford.e1', b: 'mill.e2' }],
      segments: [
        { name: 'yard', ports: ['mill.lan', 'gate', 'ford.e2'] },
        { name: 'pier', ports: ['halt.e2'] },
      ],
    }),
  );
  expect(d.devices.map((x) => [x.device.name, x.device.areas, x.at])).toEqual([
    ['ford', ['0'], { x: 5, y: 6 }],
  ]);
  expect(d.segments.map((x) => x.name)).toEqual(['pier']);
  expect(d.edges.map((e) => [e.from, e.to])).toEqual([
    ['ford', 'mill'],
    ['segment:yard', 'ford'],
    ['segment:pier', 'halt'],
  ]);
  expect(d.gone.size).toBe(0);
});

test('what a draft takes out is known by its place on the map', () => {
  const d = draftedOf(
    map,
    sketch({
      devices: sketch().devices.slice(0, 2),
      links: [],
      segments: [{ name: 'yard', ports: ['mill.lan'] }],
    }),
  );
  expect([...d.gone].sort()).toEqual(['gate', 'mill.e1 halt.e1', 'segment yard/1']);
  const none = draftedOf(map, sketch({ segments: [] }));
  expect([...none.gone].sort()).toEqual(['segment yard', 'segment yard/0', 'segment yard/1', 'segment:yard']);
});

test('places are of the middles of cards', () => {
  expect(cornersOf(map)).toEqual({ mill: { x: 32, y: 78 }, 'segment:yard': { x: -28, y: 9 } });
  expect(labName('segment:yard')).toBe('segment yard');
  expect(labName('mill')).toBe('mill');
});
