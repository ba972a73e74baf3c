import { describe, expect, test } from 'vitest';
import type { Flight, MapData } from '../../shared/api/client';
import { instantSvg, playableHtml } from './playable';

const end = (device: string) => ({ device, port: 'e1', up: true, tags: [], silent: false });
const map = {
  devices: ['mill', 'halt'].map((name) => ({ name, kind: 'router', areas: [], address: '' })),
  links: [{ id: 'one', kind: 'link', ends: [end('mill'), end('halt')], cut: false, delay: '1ms', loss: 0 }],
  sessions: [],
  virtual: [],
  flows: [],
  places: {},
} as unknown as MapData;
const places = { mill: { x: 0, y: 0 }, halt: { x: 400, y: 0 } };
const flight = (more: Partial<Flight> = {}): Flight => ({
  at: 1,
  until: 2,
  from: 'mill.e1',
  to: 'halt.e1',
  class: 'flooding',
  kind: 'Link State Update',
  ...more,
});

describe('what plays, for others', () => {
  test('an instant is the map with the packets where they are', () => {
    const svg = instantSvg(map, places, [flight()], 1.5, 0);
    expect(svg).toContain('>LSA</text>');
    expect(svg).toMatch(/translate\(268\.0,22\.0\)/); // half way from card to card
    expect(instantSvg(map, places, [flight()], 3, 0)).not.toContain('LSA');
    const lost = instantSvg(map, places, [flight({ lost: 'packets <are> lost' })], 2, 1);
    expect(lost).toContain('packets &lt;are> lost');
  });
  test('a stretch is one document that asks for nothing', () => {
    const html = playableHtml({
      title: 'A <cut>',
      map,
      places,
      from: 0,
      to: 3,
      speed: 0.001,
      flights: [flight(), flight({ from: 'mill.e9' })],
      events: [{ at: 1, device: 'mill', lane: 'flooding', word: 'LSA originated', text: '</script><b>' }],
    });
    expect(html).toContain('<title>A &lt;cut></title>');
    expect(html.match(/<script/g)).toHaveLength(1);
    expect(html.match(/<\/script/g)).toHaveLength(1);
    expect(html.replaceAll('http://www.w3.org/2000/svg', '')).not.toMatch(/https?:|src=|href=|import\(/);
    expect(html).toContain('\\u003c/script>');
    const data = /const data=(.*);\(/.exec(html)?.[1] ?? '';
    const read = JSON.parse(data) as { flights: { way: number[][] }[] };
    expect(read.flights).toHaveLength(1);
    expect(read.flights[0]?.way).toEqual([
      [136, 22],
      [400, 22],
    ]);
  });
});
