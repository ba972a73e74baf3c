import { expect, test } from 'vitest';
import type { MapData, MapEnd, Path } from '../../shared/api/client';
import { crossedBy, crossings, distanceTo, onTree, stopsOf, toGraph } from './graph';

const end = (device: string, port: string): MapEnd => ({ device, port, up: true, silent: false, tags: [] });
const device = (name: string, kind: 'router' | 'host') => ({
  name,
  kind,
  areas: [],
  roles: [],
  reflector: false,
  services: [],
  addresses: [],
  enabled: true,
});
const map: MapData = {
  devices: [device('viaduct', 'router'), device('summit', 'router'), device('kiosk', 'host')],
  virtual: [],
  places: {},
  sessions: [],
  links: [
    {
      id: 'viaduct.e1 summit.e1',
      kind: 'link',
      ends: [end('viaduct', 'e1'), end('summit', 'e1')],
      cut: false,
      delay: '1ms',
      loss: 0,
    },
    {
      id: 'segment hall',
      kind: 'segment',
      name: 'hall',
      ends: [end('viaduct', 'lan'), end('kiosk', 'nic')],
      cut: false,
      delay: '1ms',
      loss: 0,
    },
  ],
  flows: [],
};

test('a segment is a card of its own, with an edge to each port', () => {
  const g = toGraph(map);
  expect(g.cards.map((c) => c.id)).toEqual(['viaduct', 'summit', 'kiosk', 'segment:hall']);
  expect(g.edges).toHaveLength(3);
});

test('a path crosses segments in two edges, and links in the direction of the packets', () => {
  const path: Path = {
    from: 'kiosk',
    to: 'summit',
    arrives: true,
    hops: [
      { device: 'kiosk', out: 'nic' },
      { device: 'viaduct', in: 'lan', out: 'e1' },
      { device: 'summit', in: 'e1' },
    ],
  };
  expect(crossings(map, path)).toEqual([
    { id: 'segment hall/1', forward: false, lost: false },
    { id: 'segment hall/0', forward: true, lost: false },
    { id: 'viaduct.e1 summit.e1', forward: true, lost: false },
  ]);
});

test('a path that is lost behind a port ends on its link', () => {
  const path: Path = { from: 'summit', to: 'kiosk', arrives: false, hops: [{ device: 'summit', out: 'e1' }] };
  expect(crossings(map, path)).toEqual([{ id: 'viaduct.e1 summit.e1', forward: false, lost: true }]);
});

test('paths together are counted by link and direction, a loop once, and where they end', () => {
  const path = (arrives: boolean, ...hops: [string, string?][]): Path => ({
    from: hops[0]?.[0] ?? '',
    to: 'x',
    arrives,
    hops: hops.map(([device, out]) => ({ device, ...(out && { out }) })),
    ...(!arrives && { stopsAt: hops.at(-1)?.[0] ?? '', reason: 'no route' }),
  });
  const paths = [
    path(true, ['viaduct', 'e1'], ['summit']),
    path(true, ['kiosk', 'nic'], ['viaduct', 'e1'], ['summit']),
    path(false, ['summit', 'e1']),
    path(false, ['viaduct', 'e1'], ['summit', 'e1'], ['viaduct', 'e1'], ['summit']),
  ];
  const over = crossedBy(map, paths);
  expect(over.get('viaduct.e1 summit.e1')).toEqual({ forward: 3, back: 2, lost: 1 });
  expect(over.get('segment hall/1')).toEqual({ forward: 0, back: 1, lost: 0 });
  expect(over.get('segment hall/0')).toEqual({ forward: 1, back: 0, lost: 0 });
  expect(stopsOf(paths)).toEqual(new Map([['summit', ['2 flows: no route']]]));
  expect(crossedBy(map, [])).toEqual(new Map());
});

test('a shortest-path tree goes over links, and over segments by their ends', () => {
  const step = (from: string | undefined, to: string | undefined, device: string, distance: number) => ({
    area: '0',
    cost: 10,
    distance,
    device,
    ...(from && { from }),
    ...(to && { to }),
  });
  const tree = {
    root: 'summit',
    runs: 2,
    steps: [step('summit.e1.10', 'viaduct.e1.10', 'viaduct', 10), step('viaduct.lan', undefined, '', 20)],
  };
  const [link, hall] = map.links;
  if (!link || !hall) throw new Error('the map lost its links');
  expect(onTree(tree, link)).toBe('back');
  expect(onTree(tree, hall, 0)).toBe('back');
  expect(onTree(tree, hall, 1)).toBe('no');
  expect(distanceTo(tree, 'summit')).toBe(0);
  expect(distanceTo(tree, 'viaduct')).toBe(10);
  expect(distanceTo(tree, 'kiosk')).toBeUndefined();
});
