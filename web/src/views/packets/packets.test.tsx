// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test } from 'vitest';
import type { LabState, MapData, MapEnd } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { chosenPort, PacketsView } from './PacketsView';

const end = (device: string, port: string): MapEnd => ({ device, port, up: true, silent: false, tags: [] });
const link = (a: MapEnd, b: MapEnd) => ({
  id: `${a.device} ${b.device}`,
  kind: 'link' as const,
  ends: [a, b],
  cut: false,
  delay: '1ms',
  loss: 0,
});
const map: MapData = {
  devices: [],
  virtual: [],
  places: {},
  sessions: [],
  links: [link(end('mill', 'e1'), end('halt', 'e1')), link(end('halt', 'e2'), end('ford', 'e1'))],
  flows: [],
};
const lab = {
  id: 'x1',
  title: 'Line',
  text: '',
  textSeq: 1,
  now: 60,
  actions: [{ seq: 1, action: 'apply', start: 0, end: 60, settled: 40 }],
} as unknown as LabState;
const packet = (kind: string, from: string, to: string, says: string) => ({
  at: 1.5,
  from,
  to: [to],
  protocol: 'OSPF',
  kind,
  says,
  bytes: 90,
  layers: [{ name: kind, rfc: '2328 A.3.2', fields: [{ name: 'hello interval', value: '10 s' }] }],
});
const packets = {
  name: 'mill.e1 and halt.e1',
  ports: ['mill.e1', 'halt.e1'],
  from: 0,
  to: 60,
  kinds: [
    { kind: 'Hello', count: 12 },
    { kind: 'Link State Update', count: 3 },
  ],
  packets: [packet('Hello', 'mill.e1', 'halt.e1', 'hears nobody yet')],
  omitted: 14,
};
const answers = { 'GET /api/labs/x1/map': map, 'GET /api/labs/x1/packets': packets };

test('the link in focus is looked at, or one of the router in focus, or the first', () => {
  expect(chosenPort(map, 'halt.e2')).toBe('halt.e2');
  expect(chosenPort(map, 'halt.e2.10')).toBe('halt.e2');
  expect(chosenPort(map, 'ford')).toBe('ford.e1');
  expect(chosenPort(map, '')).toBe('mill.e1');
});

describe('packets of a link', () => {
  test('from whom to whom, each opening to its fields', async () => {
    show(<PacketsView lab={lab} />, answers, '/lab/x1/packets?who=mill.e1');
    const row = await screen.findByRole('button', { name: /hears nobody yet/ });
    expect(screen.getByRole('img', { name: 'mill.e1 to halt.e1' })).toBeTruthy();
    await userEvent.click(row);
    expect(screen.getByText('hello interval')).toBeTruthy();
    expect(screen.getByText('10 s')).toBeTruthy();
    expect(screen.getByText(/14 more packets are not drawn/)).toBeTruthy();
  });

  test('only the chosen kinds', async () => {
    const asked = show(<PacketsView lab={lab} />, answers, '/lab/x1/packets?who=mill.e1');
    await userEvent.click(await screen.findByRole('button', { name: 'Link State Update 3' }));
    expect(asked.at(-1)).toContain('kinds=Link State Update');
    await userEvent.click(screen.getByRole('button', { name: 'all kinds' }));
    expect(screen.getByRole('button', { name: 'Hello 12' }).getAttribute('aria-pressed')).toBe('false');
  });

  test('of any stretch of time', async () => {
    const asked = show(<PacketsView lab={lab} />, answers, '/lab/x1/packets?who=mill.e1');
    await userEvent.type(await screen.findByLabelText(/^from, in seconds/), '12.5');
    await userEvent.type(screen.getByLabelText(/^to, in seconds/), '20 s');
    expect(asked.at(-1)).toContain('from=12.5&to=20');
    expect(screen.getByRole('link', { name: 'pcapng' }).getAttribute('href')).toContain('from=12.5&to=20');
  });

  test('another link is chosen from the list, and becomes the focus', async () => {
    show(<PacketsView lab={lab} />, answers, '/lab/x1/packets?who=mill.e1');
    await userEvent.selectOptions(await screen.findByLabelText('Link or segment'), 'halt.e2 and ford.e1');
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/packets?who=halt.e2');
  });
});
