// @vitest-environment jsdom
import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Port, Process } from '../../shared/api/client';
import { problem, show } from '../../shared/testing/app';
import { portsOf } from '../../shared/testing/lists';
import { PortsView } from './PortsView';

const ospf: NonNullable<Port['ospf']> = {
  area: '0',
  type: 'point-to-point',
  state: 'Point-to-point',
  cost: 100,
  costFrom: '10G over 100M',
  passive: false,
  disabled: false,
  helloInterval: '10s',
  deadInterval: '40s',
  retransmitInterval: '5s',
  transmitDelay: '1s',
  authentication: 'larch (key 1 md5)',
  keysFrom: 'area 0',
  nextHello: 3.4,
  neighbours: ['10.255.0.2 Full'],
};
const port = (name: string, more: Partial<Port> = {}): Port => ({
  device: 'mill',
  port: name,
  kind: 'port',
  address: '10.0.12.1/30',
  up: true,
  since: 0,
  bandwidth: '100M',
  mtu: 1500,
  joinedTo: ['halt.e1'],
  ...more,
});
const ports = [
  port('e1', { ospf }),
  port('e2', {
    address: undefined,
    up: false,
    why: { code: 'link-cut', what: 'link cut', text: 'the link has no carrier', source: 'observed' },
  }),
  port('e1', { device: 'halt', address: '10.0.12.2/30', mtu: 1400, ospf: { ...ospf, deadInterval: '50s' } }),
];
const process = (device: string, more: Partial<Process> = {}): Process => ({
  device,
  running: true,
  routerId: '10.255.0.1',
  routerIdFrom: 'address of lo',
  areas: ['0'],
  roles: [],
  ports: 1,
  full: 1,
  lsas: 2,
  spfRuns: 3,
  referenceBandwidth: '10G',
  ...more,
});
const answers = {
  'GET /api/labs/x1/ports': portsOf(ports, [
    process('mill'),
    process('halt', { running: false, whyNot: 'the OSPF process is disabled' }),
  ]),
};

describe('ports', () => {
  test('each with its address, status, cost and where that comes from; its process above it', async () => {
    show(<PortsView />, answers);
    const table = within(await screen.findByRole('region', { name: 'Ports' }));
    expect(table.getByText(/OSPF runs, router ID/).textContent).toBe(
      'OSPF runs, router ID 10.255.0.1 (address of lo), area 0 on 1 port; 1 neighbour Full, 2 LSAs, 3 SPF runs,' +
        ' reference bandwidth 10G',
    );
    expect(table.getByText('OSPF does not run: the OSPF process is disabled')).toBeTruthy();
    expect(table.getByText(', the link has no carrier', { exact: false })).toBeTruthy();
    expect(table.getAllByText('10G over 100M')).toHaveLength(2);
    expect(table.getAllByText('next in 3.4 s')).toHaveLength(2);
    expect(table.getAllByText('larch (key 1 md5), set on area 0')).toHaveLength(2);
  });
  test('those of a routing instance below its own process', async () => {
    const inFerry = port('quay', { instance: 'ferry', address: '10.70.0.1/30' });
    show(<PortsView />, {
      'GET /api/labs/x1/ports': portsOf(
        [...ports, inFerry],
        [process('mill'), process('mill/ferry', { ports: 7 }), process('halt')],
      ),
    });
    const table = within(await screen.findByRole('region', { name: 'Ports' }));
    const group = table.getByText('mill/ferry').closest('tbody');
    expect(group?.textContent).toContain('area 0 on 7 ports');
    expect(group?.textContent).toContain('10.70.0.1/30');
    expect(group?.textContent).not.toContain('10.0.12.1/30');
  });
  test('only those with OSPF, or that are down', async () => {
    show(<PortsView />, answers);
    await userEvent.click(await screen.findByRole('button', { name: 'Down' }));
    await vi.waitFor(() => expect(screen.queryByText('10.0.12.1/30')).toBeNull());
    await userEvent.click(screen.getByRole('button', { name: 'OSPF' }));
    await vi.waitFor(() => expect(screen.queryByText('e2')).toBeNull());
    expect(screen.getByText('10.0.12.1/30')).toBeTruthy();
  });
  test('those with some words', async () => {
    show(<PortsView />, answers);
    await userEvent.type(await screen.findByLabelText('Find ports'), '10.0.12.2');
    await vi.waitFor(() => expect(screen.queryByText('10.0.12.1/30')).toBeNull());
    expect(screen.getByText('1 match')).toBeTruthy();
    expect(screen.getByText('10.0.12.2/30')).toBeTruthy();
    await userEvent.type(screen.getByLabelText('Find ports'), ' otter');
    expect(await screen.findByText('No port like that')).toBeTruthy();
  });
  test('a file that cannot be had says why', async () => {
    show(<PortsView />, {
      ...answers,
      'GET /api/labs/x1/ports?at=now': problem(503, 'the database does not answer'),
    });
    await userEvent.click(await screen.findByRole('button', { name: 'CSV' }));
    expect((await screen.findByRole('alert')).textContent).toBe('Not saved: the database does not answer');
  });
  test('two marked ports stand side by side, with what differs', async () => {
    show(<PortsView />, answers);
    await userEvent.click(await screen.findByLabelText('mark mill.e1'));
    expect(screen.queryByTestId('side-by-side')).toBeNull();
    await userEvent.click(screen.getByLabelText('mark halt.e1'));
    const pair = await screen.findByTestId('side-by-side');
    const row = (what: string) => within(pair).getByText(what).closest('tr')?.textContent;
    expect(row('dead interval')).toBe('dead interval40s50sdiffers');
    expect(row('hello interval')).toBe('hello interval10s10s');
    expect(row('MTU')).toBe('MTU15001400differs');
    expect(row('address')).toBe('address10.0.12.1/3010.0.12.2/30');
    // A third takes the place of the older mark.
    await userEvent.click(screen.getByLabelText('mark mill.e2'));
    expect(screen.getByLabelText<HTMLInputElement>('mark mill.e1').checked).toBe(false);
  });
  test('a click puts a port in focus', async () => {
    show(<PortsView />, answers, '/lab/x1/ports');
    await userEvent.click(await screen.findByText('e2'));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/ports?who=mill.e2');
  });
});
