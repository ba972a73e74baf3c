import { describe, expect, test } from 'vitest';
import type { MapEnd, MapLink } from '../../shared/api/client';
import { lineBetween, type Box } from './line';
import { pointOn, wayOf, wiresOf } from './way';

const end = (device: string, port: string): MapEnd =>
  ({ device, port, up: true, tags: [] }) as unknown as MapEnd;
const link = (id: string, a: MapEnd, b: MapEnd): MapLink =>
  ({ id, kind: 'link', ends: [a, b] }) as unknown as MapLink;
const card = (x: number, y: number): Box => ({ x, y, width: 100, height: 40 });
const nodes: Record<string, Box> = {
  mill: card(0, 0),
  halt: card(400, 0),
  weir: card(200, 300),
  'segment:yard': card(200, 150),
};
const node = (id: string) => nodes[id];
const links = [
  link('one', end('mill', 'e1'), end('halt', 'e1')),
  link('two', end('halt', 'e2'), end('mill', 'e2')),
  {
    id: 'yard',
    kind: 'segment',
    name: 'yard',
    ends: [end('mill', 'lan'), end('halt', 'lan'), end('weir', 'lan')],
  } as unknown as MapLink,
];
const wires = wiresOf(links);

describe('the way of a packet on the map', () => {
  test('is the line of its link, from the sender', () => {
    expect(wayOf({ from: 'mill.e1', to: 'halt.e1' }, wires, node)).toEqual([
      { x1: 100, y1: 20, x2: 400, y2: 20 },
    ]);
    expect(wayOf({ from: 'halt.e1', to: 'mill.e1' }, wires, node)).toEqual([
      { x1: 400, y1: 20, x2: 100, y2: 20 },
    ]);
  });
  test('of two links between the same devices is that of its own, whichever end sends', () => {
    const there = wayOf({ from: 'halt.e2', to: 'mill.e2' }, wires, node)[0];
    const drawn = lineBetween(
      { x: 400, y: 0, width: 100, height: 40 },
      { x: 0, y: 0, width: 100, height: 40 },
      1,
    );
    expect(there).toEqual(drawn);
    const back = wayOf({ from: 'mill.e2', to: 'halt.e2' }, wires, node)[0];
    expect(back).toEqual({ x1: drawn.x2, y1: drawn.y2, x2: drawn.x1, y2: drawn.y1 });
  });
  test('over a segment goes by its pill; a sub-port is on the link of its port', () => {
    const way = wayOf({ from: 'mill.lan.10', to: 'weir.lan' }, wires, node);
    expect(way).toHaveLength(2);
    expect(pointOn(way, 0.5)?.y).toBeGreaterThan(150);
    expect(pointOn(way, 1)).toMatchObject({ x: way[1]?.x2, y: way[1]?.y2 });
    expect(pointOn(way, 0)).toMatchObject({ x: way[0]?.x1, y: way[0]?.y1 });
  });
  test('there is none on what is not drawn', () => {
    expect(wayOf({ from: 'mill.e9', to: 'halt.e1' }, wires, node)).toEqual([]);
    expect(wayOf({ from: 'mill.e1', to: 'weir.lan' }, wires, node)).toEqual([]);
    expect(pointOn([], 0.5)).toBeUndefined();
  });
});
