// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test } from 'vitest';
import type { Neighbour, SessionSide } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { neighboursOf } from '../../shared/testing/lists';
import { NeighboursView } from './NeighboursView';
import { carries } from './SessionRow';

const side = (more: Partial<SessionSide> = {}): SessionSide => ({
  as: 64500,
  peer: '192.0.2.2',
  peerAs: 64496,
  client: false,
  received: 4,
  accepted: 3,
  sent: 2,
  waiting: 0,
  holdTime: '90s',
  ups: 1,
  opened: true,
  tcp: '192.0.2.1 port 49152 to 192.0.2.2 port 179, ESTABLISHED',
  capabilities: [{ name: 'four-octet AS', rfc: '6793', sent: 'AS 64500', received: 'AS 64496' }],
  messages: [{ type: 'UPDATE', sent: 5, received: 7 }],
  faults: 0,
  ...more,
});
const session = (more: Partial<Neighbour> = {}): Neighbour => ({
  protocol: 'bgp',
  a: { device: 'mill', port: 'up', address: '192.0.2.1', state: 'Established', since: 10, deadIn: 80 },
  b: { device: 'ford', port: 'e1', address: '192.0.2.2', state: 'Established', since: 10, deadIn: 81 },
  up: true,
  state: 'Established',
  since: 10,
  reasons: [],
  session: { external: true, a: side(), b: side({ as: 64496, peer: '192.0.2.1', peerAs: 64500 }) },
  ...more,
});
const lab = { id: 'x1', title: 'T', text: '', textSeq: 1, now: 100, actions: [] };
const answers = (rows: Neighbour[]) => ({
  'GET /api/labs/x1/neighbours': neighboursOf(rows),
  'GET /api/labs/x1': lab,
  'POST /api/labs/x1/actions': { seq: 2 },
});

describe('sessions', () => {
  test('what a session carries, in words', () => {
    expect(carries(side())).toBe('4 prefixes in, 3 accepted, 2 out');
    expect(carries(side({ received: 1, accepted: 1, waiting: 6 }))).toBe('1 prefix in, 2 out, 6 waiting');
  });
  test('both ends in one row, with ASes and state; a click opens all there is to know', async () => {
    show(<NeighboursView />, answers([session()]), '/lab/x1/neighbours');
    expect(await screen.findByText('BGP sessions Established')).toBeTruthy();
    expect(screen.getByText('BGP, external')).toBeTruthy();
    expect(screen.queryByText('four-octet AS')).toBeNull();
    await userEvent.click(screen.getByText('BGP, external'));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/neighbours?who=mill/192.0.2.2');
    expect(screen.getAllByText('four-octet AS')).toHaveLength(2);
    expect(screen.getAllByText('UPDATE 5 sent, 7 received')).toHaveLength(2);
  });
  test('the session in focus is found by either end', async () => {
    show(<NeighboursView />, answers([session()]), '/lab/x1/neighbours?who=ford/192.0.2.1');
    expect((await screen.findAllByText('four-octet AS')).length).toBe(2);
  });
  test('an action on a session', async () => {
    const asked = show(<NeighboursView />, answers([session()]), '/lab/x1/neighbours?who=mill/192.0.2.2');
    await userEvent.click((await screen.findAllByRole('button', { name: 'Reset' }))[0] as HTMLElement);
    expect(asked.some((a) => a.includes('"action":"reset 192.0.2.2 on mill"'))).toBe(true);
  });
  test('in the past nothing is done', async () => {
    show(<NeighboursView />, answers([session()]), '/lab/x1/neighbours?who=mill/192.0.2.2&when=after-1');
    await screen.findAllByText('four-octet AS');
    expect(screen.queryByRole('button', { name: 'Reset' })).toBeNull();
  });
  test('one that only one end has, with the reason and the next try', async () => {
    const row = session({
      up: false,
      state: 'Active',
      a: { device: 'mill', port: 'up', address: '192.0.2.1', state: 'Active', since: 10 },
      b: { device: 'ford', port: 'e1', address: '192.0.2.2', state: 'Idle', since: 0 },
      session: { external: true, a: side({ nextTry: 12 }) },
      reasons: [
        {
          code: 'peer-unknown',
          what: 'peer',
          text: 'ford has no peer 192.0.2.1',
          source: 'foreseen',
          remedy: 'add peer 192.0.2.1 as 64500 on ford',
        },
      ],
    });
    show(<NeighboursView />, answers([row]));
    expect(await screen.findByText('ford has no peer 192.0.2.1')).toBeTruthy();
    expect(screen.getByText('no such peer')).toBeTruthy();
    expect(screen.getByText('tried again in 12 s')).toBeTruthy();
  });
});
