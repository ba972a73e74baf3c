// @vitest-environment jsdom
import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Neighbour } from '../../shared/api/client';
import { problem, show } from '../../shared/testing/app';
import { neighboursOf } from '../../shared/testing/lists';
import { NeighboursView } from './NeighboursView';

const end = (device: string, port: string, more: Partial<Neighbour['a']> = {}): Neighbour['a'] => ({
  device,
  port,
  address: '10.0.0.1/30',
  routerId: '10.255.0.1',
  state: 'Full',
  since: 40,
  deadIn: 31.5,
  area: '0',
  ...more,
});
const up: Neighbour = {
  protocol: 'ospf',
  a: end('halt', 'e1'),
  b: end('mill', 'e1'),
  up: true,
  state: 'Full',
  since: 40,
  reasons: [],
};
const down: Neighbour = {
  protocol: 'ospf',
  a: end('mill', 'e2', { state: 'Init', area: '0' }),
  b: end('tunnel', 'e1', { state: 'Down', area: '1', routerId: undefined, deadIn: undefined }),
  up: false,
  state: 'Down',
  since: 90,
  reasons: [
    {
      code: 'area',
      what: 'area',
      text: 'the two ports are in different areas',
      mine: '0',
      theirs: '1',
      remedy: 'set area 1 on mill.e2, or area 0 on tunnel.e1',
      source: 'observed',
      by: 'mill.e2',
      count: 3,
    },
    {
      code: 'hello-interval',
      what: 'hello interval',
      text: 'the hello intervals differ',
      mine: '10s',
      theirs: '5s',
      source: 'foreseen',
    },
  ],
};
const lab = {
  id: 'x1',
  title: 'T',
  text: '',
  textSeq: 1,
  now: 100,
  actions: [{ seq: 1, start: 0, end: 60 }],
};
const answers = { 'GET /api/labs/x1/neighbours': neighboursOf([down, up]), 'GET /api/labs/x1': lab };

describe('neighbours', () => {
  test('one row an adjacency, both ends, how long, and what is not up counted', async () => {
    show(<NeighboursView />, answers);
    await screen.findByText('OSPF adjacencies Full');
    const table = within(screen.getByRole('region', { name: 'Neighbours' }));
    expect(table.getByText('Full')).toBeTruthy();
    expect(await table.findByText('60.0 s')).toBeTruthy();
    expect(table.getByText('mill sees Init, tunnel sees Down')).toBeTruthy();
    expect(table.getByText('no router ID')).toBeTruthy();
    expect(table.getByText(/area 0 and 1/)).toBeTruthy();
  });
  test('all reasons with both values, what was seen and what is foreseen', async () => {
    show(<NeighboursView />, answers);
    expect(
      await screen.findByText(
        'seen by mill.e2, 3 packets refused so far. Set area 1 on mill.e2, or area 0 on tunnel.e1.',
      ),
    ).toBeTruthy();
    expect(screen.getByText('would come next, by the configurations')).toBeTruthy();
    for (const value of ['0', '1', '10s', '5s'])
      expect(screen.getAllByDisplayValue(value).length).toBeGreaterThan(0);
  });
  test('only those that are not up', async () => {
    show(<NeighboursView />, answers);
    await userEvent.click(await screen.findByRole('button', { name: 'Not up' }));
    await vi.waitFor(() => expect(screen.queryByText('halt')).toBeNull());
    expect(screen.getByText('tunnel')).toBeTruthy();
  });
  test('those with some words, in another order', async () => {
    show(<NeighboursView />, answers);
    const devices = () =>
      screen
        .getAllByRole('row')
        .flatMap((r) => r.querySelector('b')?.textContent ?? [])
        .filter((d) => ['halt', 'mill'].includes(d));
    await screen.findByText('halt');
    expect(devices()).toEqual(['mill', 'halt']);
    await userEvent.selectOptions(screen.getByLabelText('order'), 'latest change');
    await vi.waitFor(() => expect(devices()).toEqual(['mill', 'halt']));
    await userEvent.type(screen.getByLabelText('Find neighbours'), 'halt.e1');
    await vi.waitFor(() => expect(devices()).toEqual(['halt']));
    expect(screen.getByText('1 match')).toBeTruthy();
  });
  test('those of the device in focus; a click puts a port in focus', async () => {
    show(<NeighboursView />, answers, '/lab/x1/neighbours?who=halt');
    await screen.findByText('halt');
    expect(screen.queryByText('tunnel')).toBeNull();
    await userEvent.click(screen.getByText('halt'));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/neighbours?who=halt.e1');
  });
  test.each(['calm', '50'])('the moment %s counts from its time', async (when) => {
    const named = { ...lab, moments: [{ name: 'calm', at: 50, step: 1 }] };
    show(<NeighboursView />, { ...answers, 'GET /api/labs/x1': named }, `/lab/x1/neighbours?when=${when}`);
    expect(await screen.findByText('10.0 s')).toBeTruthy();
  });
  test('the moment in focus is asked for, and how long is counted from it', async () => {
    const asked = show(<NeighboursView />, answers, '/lab/x1/neighbours?when=after-1');
    expect(await screen.findByText('20.0 s')).toBeTruthy();
    expect(asked).toContain('GET /api/labs/x1/neighbours?at=after-1&offset=0&limit=150');
  });
  test('nothing configured, and a server that refuses', async () => {
    show(<NeighboursView />, { ...answers, 'GET /api/labs/x1/neighbours': neighboursOf([]) });
    expect(await screen.findByText('No neighbours are configured')).toBeTruthy();
  });
  test('a refusal stands where the rows would', async () => {
    show(<NeighboursView />, {
      ...answers,
      'GET /api/labs/x1/neighbours': problem(422, 'there is no action 9 in this lab: it has 1'),
    });
    expect((await screen.findByRole('alert')).textContent).toContain('there is no action 9');
  });
});
