import { expect, test } from 'vitest';
import type { Comparison, Flow, MapData } from '../../shared/api/client';
import { comparedOf, tallySigns, tallyWords } from './compared';

const link = (id: string, a: string, b: string) => ({
  id,
  kind: 'link',
  ends: [a, b].map((p) => ({ device: p.split('.')[0], port: p.split('.')[1] })),
});
const flow = (name: string, ...hops: string[]) =>
  ({
    name,
    arrives: true,
    hops: hops.map((h) => ({ device: h.split('.')[0], out: h.split('.')[1] })),
  }) as unknown as Flow;
const map = (devices: string[], links: unknown[], flows: Flow[]) =>
  ({
    devices: devices.map((name) => ({ name })),
    links,
    flows,
    places: {},
    sessions: [],
    virtual: [],
  }) as unknown as MapData;
const changes = (...rows: [string, string][]) =>
  ({
    sections: [
      { name: 'flows', rows: [{ device: 'mill', kind: 'moved' }] },
      { name: 'routes', rows: rows.map(([device, kind]) => ({ device, kind })) },
    ],
  }) as unknown as Comparison;

test('what is at either moment is on one map, and says which', () => {
  const c = comparedOf(
    map(
      ['mill', 'halt', 'ford'],
      [link('1', 'mill.e1', 'halt.e1'), link('2', 'halt.e2', 'ford.e1')],
      [flow('post', 'mill.e1', 'halt.e2', 'ford'), flow('time', 'mill.e1', 'halt')],
    ),
    // The same link has another number, and its ends the other way round.
    map(
      ['mill', 'halt', 'weir'],
      [link('9', 'halt.e1', 'mill.e1'), link('3', 'mill.e2', 'weir.e1')],
      [flow('post', 'mill.e2', 'weir.e2', 'ford'), flow('time', 'mill.e1', 'halt')],
    ),
    changes(['mill', 'came'], ['mill', 'moved'], ['mill/ferry', 'went'], ['halt', 'changed']),
  );
  expect(c.map.devices.map((d) => d.name)).toEqual(['mill', 'halt', 'weir', 'ford']);
  expect(c.map.links.map((l) => l.id)).toEqual(['9', '3', 'before 2']);
  expect([...c.came]).toEqual(['3', 'weir']);
  expect([...c.gone]).toEqual(['before 2', 'ford']);
  expect(c.flows.map((f) => [f.name, f.moved])).toEqual([
    ['post', true],
    ['time', false],
  ]);
  expect(c.tables.get('mill')).toEqual({ came: 1, went: 1, moved: 1, changed: 0 });
  expect(tallySigns({ came: 1, went: 1, moved: 1, changed: 2 })).toBe('+1 −1 ≈3');
  expect(tallyWords({ came: 1, went: 0, moved: 0, changed: 2 })).toBe('routes: 1 came, 2 changed');
});

test('a port that joins or leaves a segment', () => {
  const segment = (id: string, ...ports: string[]) => ({
    ...link(id, 'a.e1', 'b.e1'),
    kind: 'segment',
    name: 'yard',
    ends: ports.map((p) => ({ device: p.split('.')[0], port: 'e1' })),
  });
  const c = comparedOf(
    map(['mill', 'halt'], [segment('1', 'mill', 'halt')], []),
    map(['mill', 'weir', 'halt'], [segment('4', 'mill', 'weir')], []),
    changes(),
  );
  expect(c.map.links[0]?.ends.map((e) => e.device)).toEqual(['mill', 'weir', 'halt']);
  expect([...c.came]).toEqual(['4/1', 'weir']);
  expect([...c.gone]).toEqual(['4/2']);
});
