import { describe, expect, test } from 'vitest';
import type { MapData } from '../api/client';
import { entriesOf } from './things';

const end = (device: string, port: string, more = {}) => ({ device, port, up: true, silent: false, ...more });
const map = {
  devices: [
    {
      name: 'mill',
      kind: 'router',
      enabled: true,
      routerId: '10.255.0.1',
      as: 64500,
      instances: [{ name: 'ferry', ports: ['quay'], addresses: [], routerId: '10.70.0.1' }],
    },
    { name: 'gorge', kind: 'router', enabled: true, as: 64500 },
    { name: 'halt', kind: 'router', enabled: false },
    { name: 'kiosk', kind: 'host', enabled: true, as: 64500 },
  ],
  links: [
    { id: 'a', kind: 'link', cut: false, ends: [end('mill', 'e1'), end('halt', 'e1')] },
    {
      id: 'b',
      kind: 'link',
      cut: true,
      ends: [
        end('mill', 'e2', { code: 'far-device-disabled', why: 'the device at the other end is disabled' }),
        end('kiosk', 'nic'),
      ],
    },
    {
      id: 'c',
      kind: 'segment',
      name: 'yard',
      cut: false,
      ends: [end('mill', 'e3', { why: 'the port is disabled', code: 'port-disabled' })],
    },
  ],
  flows: [{ name: 'kiosk-mill' }],
  sessions: [
    { a: 'mill', b: 'gorge', peer: '10.0.0.2' },
    { a: 'gorge', b: 'mill', inB: 'ferry', peer: '10.70.0.1', back: '10.70.0.2' },
  ],
} as unknown as MapData;
const acts = (thing: Parameters<typeof entriesOf>[0], who = '') =>
  entriesOf(thing, map, who).flatMap((e) => e.act ?? e.edits ?? []);

describe('what can be done to a thing', () => {
  test('a feed: withdrawn in part and flapped, or advertised again', () => {
    const withFeed = (withdrawn: number) =>
      entriesOf(
        { kind: 'device', name: 'gorge' },
        { ...map, feeds: [{ router: 'gorge', prefixes: 100, withdrawn }] },
        '',
      ).flatMap((e) => e.act ?? []);
    expect(withFeed(0)).toContain('withdraw 30% on gorge');
    expect(withFeed(0)).toContain('flap 30% on gorge');
    expect(withFeed(12.5)).toContain('advertise all on gorge');
    expect(withFeed(12.5)).not.toContain('withdraw 30% on gorge');
    expect(acts({ kind: 'device', name: 'gorge' }).join()).not.toContain('withdraw');
  });
  test('a router: its sessions, its processes, a flow from what is in focus, by a free name', () => {
    expect(acts({ kind: 'device', name: 'mill' }, 'kiosk')).toEqual([
      'flow kiosk-mill-2 kiosk -> mill',
      'disable mill',
      'reset all on mill',
      'restart bgp on mill',
      'restart ospf on mill',
      'reset all on mill/ferry',
      'restart bgp on mill/ferry',
      'restart ospf on mill/ferry',
      'remove mill',
    ]);
    expect(acts({ kind: 'device', name: 'kiosk' })).toEqual(['disable kiosk', 'remove kiosk']);
    expect(acts({ kind: 'device', name: 'halt' }, 'halt.e1')).toEqual(['enable halt', 'remove halt']);
  });
  test('a link: what is whole can be cut, what is cut can be mended', () => {
    expect(acts({ kind: 'link', name: 'mill.e1' })).toEqual([
      'cut mill.e1',
      'silence mill.e1',
      'silence mill.e1 out',
      'silence mill.e1 in',
      'remove link mill.e1 halt.e1',
    ]);
    expect(acts({ kind: 'link', name: 'mill.e2' })).toEqual(['mend mill.e2', 'remove link mill.e2 kiosk']);
    expect(acts({ kind: 'link', name: 'mill.e9' })).toEqual([]);
  });
  test('a port, a session, a segment', () => {
    expect(acts({ kind: 'port', name: 'mill.e3' })[0]).toBe('enable mill.e3');
    expect(acts({ kind: 'port', name: 'mill.e2' })[0]).toBe('disable mill.e2');
    expect(acts({ kind: 'port', name: 'mill.e1' })).toContain('remove mill.e1');
    expect(acts({ kind: 'session', name: 'mill/10.0.0.2' })).toContain('reset 10.0.0.2 on mill');
    expect(acts({ kind: 'segment', name: 'yard' })).toEqual(['remove segment yard']);
  });
});
