import { describe, expect, test } from 'vitest';
import type { MapData, MapLink, RouteRow } from '../../shared/api/client';
import { onTree } from './graph';
import { arc } from './arc';
import { apart, hull, regions } from './region';
import { spread } from './spread';
import { mapSvg } from './svg';

const device = (name: string, as?: number): MapData['devices'][number] => ({
  name,
  kind: 'router',
  areas: [],
  roles: [],
  reflector: false,
  services: [],
  addresses: [],
  enabled: true,
  ...(as ? { as } : {}),
});

describe('regions of autonomous systems', () => {
  test('the hull leaves inner points out', () => {
    const corners = [
      { x: 0, y: 0 },
      { x: 10, y: 0 },
      { x: 10, y: 10 },
      { x: 0, y: 10 },
    ];
    expect(hull([...corners, { x: 5, y: 5 }, { x: 2, y: 7 }])).toHaveLength(4);
  });
  test('one region an AS, around all its cards; none without BGP', () => {
    const map = {
      devices: [device('a', 64500), device('b', 64500), device('c', 64496), device('d')],
      links: [],
      virtual: [],
      places: {},
      sessions: [],
      flows: [],
    };
    const places = { a: { x: 0, y: 0 }, b: { x: 300, y: 0 }, c: { x: 0, y: 400 }, d: { x: 500, y: 500 } };
    const out = regions(map, places);
    expect(out.map((r) => r.as)).toEqual([64496, 64500]);
    expect(out[1]?.width).toBeGreaterThan(300 + 136);
    expect(out[1]?.x).toBeLessThan(0);
    expect(regions({ ...map, devices: [device('d')] }, places)).toEqual([]);
  });
  test('no outline holds a card of others, however the cards stand', () => {
    let seed = 7;
    const random = () => (seed = (seed * 48271) % 2147483647) / 2147483647;
    const card = () => ({ x: random() * 2000, y: random() * 1200, width: 136, height: 44 });
    let parted = 0;
    for (let round = 0; round < 300; round++) {
      const own = Array.from({ length: 1 + Math.floor(random() * 12) }, card);
      const others = Array.from({ length: Math.floor(random() * 8) }, card);
      const groups = apart(own, others);
      expect(groups.flat()).toHaveLength(own.length);
      parted += groups.length > 1 ? 1 : 0;
      for (const g of groups.filter((x) => x.length > 1)) {
        // The ends of the group's outline are its own cards': a card of others is inside if it adds no corner.
        const around = g.flatMap((c) => [
          { x: c.x - 26, y: c.y - 26 },
          { x: c.x + c.width + 26, y: c.y - 26 },
          { x: c.x + c.width + 26, y: c.y + c.height + 26 },
          { x: c.x - 26, y: c.y + c.height + 26 },
        ]);
        for (const o of others) {
          const middle = { x: o.x + o.width / 2, y: o.y + o.height / 2 };
          expect(hull([...around, middle])).toContainEqual(middle);
        }
      }
    }
    expect(parted).toBeGreaterThan(50);
    expect(apart([card(), card(), card()], [])).toHaveLength(1);
  });
  test('an arc keeps beside the straight line', () => {
    expect(arc({ x: 0, y: 0 }, { x: 100, y: 0 }, 0.2).places[0]).toEqual({ x: 50, y: 10 });
  });
});

test('the ways to a prefix from everywhere', () => {
  const cell = (port: string, via?: string) => ({
    source: 'bgp' as const,
    metric: 0,
    metric2: 0,
    tag: 0,
    preference: 20,
    nextHops: [{ port, ...(via ? { via } : {}) }],
  });
  const row: RouteRow = {
    prefix: '10.0.0.0/8',
    cells: { a: cell('e1', '10.0.0.2'), b: cell('lan') },
  };
  const end = (device: string, port: string): MapLink['ends'][number] => ({
    device,
    port,
    up: true,
    silent: false,
    tags: [],
  });
  const link: MapLink = {
    id: 'l',
    kind: 'link',
    ends: [end('b', 'e1'), end('a', 'e1')],
    cut: false,
    delay: '1ms',
    loss: 0,
  };
  const tree = spread(row, [link]);
  expect(tree.steps.map((s) => `${s.from} ${s.to}`)).toEqual(['a.e1 b.e1', 'b.lan -']);
  expect(onTree(tree, link)).toBe('back');
});

test('regions, instances and sessions are on the exported map', () => {
  const bay = { name: 'ferry', ports: ['quay'], addresses: [] };
  const map: MapData = {
    devices: [{ ...device('a', 64500), instances: [bay] }, device('b', 64496)],
    links: [],
    virtual: [],
    places: {},
    flows: [],
    sessions: [
      { a: 'a', b: 'b', external: true, up: true, state: 'Established', peer: '192.0.2.2', linked: true },
      { a: 'a', b: 'b', external: false, up: false, state: 'Active', peer: '192.0.2.6', linked: true },
    ],
  };
  const svg = mapSvg(map, { a: { x: 0, y: 0 }, b: { x: 300, y: 0 } }, undefined);
  expect(svg).toContain('AS 64500');
  expect(svg).toContain('AS 64496');
  expect(svg).toContain('>ferry</text>');
  expect(svg.match(/stroke="#6d2f57" stroke-width="1.3"\/>/g)).toHaveLength(1);
  expect(svg).toContain('stroke="#a03a29" stroke-width="1.3" stroke-dasharray="5 4"');
});
