// @vitest-environment jsdom
import { act, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, test } from 'vitest';
import type { MapDevice, ProbeReply } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { Stream, stubStreams } from '../../shared/testing/events';
import { Probe } from './Probe';
import { probeURL } from './useProbe';

const device = (name: string, kind: 'host' | 'router', addresses: string[]): MapDevice => ({
  name,
  kind,
  addresses,
  areas: [],
  roles: [],
  reflector: false,
  services: [],
  enabled: true,
});
const devices = [
  device('mill', 'router', ['10.255.0.1', '10.0.12.1']),
  device('gate', 'host', ['10.20.1.10']),
  device('desk', 'host', ['10.20.2.10']),
];
const reply = (seq: number, more: Partial<ProbeReply> = {}): ProbeReply => ({
  seq,
  ttl: 64,
  sentAt: seq,
  ok: true,
  rtt: 0.008,
  by: '10.20.2.10',
  device: 'desk',
  answer: 'echo reply',
  steps: [{ at: 0, device: 'gate', packet: 'echo request', did: 'sent it out of nic to 10.20.1.1' }],
  ...more,
});
const end = {
  from: 'gate',
  source: '10.20.1.10',
  to: 'desk',
  address: '10.20.2.10',
  sent: 2,
  answered: 2,
  summary: 'all 2 answered',
  replies: [],
};

const open = (who = '') =>
  show(<Probe devices={devices} who={who} close={() => {}} />, {}, '/lab/x1/map?when=before-2');
const stream = () => {
  const s = Stream.all.at(-1);
  if (!s) throw new Error('no probe was sent');
  return s;
};

describe('a probe', () => {
  beforeEach(stubStreams);

  test('goes from one host to another unless somebody chooses otherwise, at the moment in focus', async () => {
    open();
    await userEvent.click(screen.getByRole('button', { name: 'Probe' }));
    expect(stream().url).toBe('/api/labs/x1/probe?from=gate&to=desk&at=before-2&count=5');
  });
  test('starts at the device in focus, from any of its addresses', async () => {
    open('mill');
    await userEvent.selectOptions(screen.getByLabelText('address'), '10.255.0.1');
    await userEvent.click(screen.getByRole('button', { name: 'Trace' }));
    expect(stream().url).toBe(
      '/api/labs/x1/probe?from=mill&to=desk&at=before-2&source=10.255.0.1&trace=true',
    );
  });
  test('shows reply by reply while it runs, and what it came to', async () => {
    open();
    await userEvent.click(screen.getByRole('button', { name: 'Probe' }));
    act(() => stream().say('reply', reply(1)));
    expect(screen.getByText('1 sent, 1 answered')).toBeTruthy();
    act(() =>
      stream().say(
        'reply',
        reply(2, {
          ok: false,
          by: undefined,
          device: undefined,
          rtt: undefined,
          reason: 'mill has no route to 10.20.2.10',
        }),
      ),
    );
    expect(screen.getByText('2 sent, 1 answered')).toBeTruthy();
    expect(screen.getByText('mill has no route to 10.20.2.10')).toBeTruthy();
    act(() =>
      stream().say('end', {
        ...end,
        answered: 1,
        summary: '1 of 2 answered; mill has no route to 10.20.2.10',
      }),
    );
    expect(screen.getByText('1 of 2 answered; mill has no route to 10.20.2.10')).toBeTruthy();
    expect(stream().readyState).toBe(Stream.CLOSED);
  });
  test('a reply opens to what each device did', async () => {
    open();
    await userEvent.click(screen.getByRole('button', { name: 'Probe' }));
    act(() => stream().say('reply', reply(1)));
    act(() => stream().say('end', end));
    expect(screen.queryByText(/sent it out of nic/)).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: /10.20.2.10/, expanded: false }));
    expect(screen.getByText(/sent it out of nic to 10.20.1.1/)).toBeTruthy();
  });
  test('opens TCP connections to a port, and says who takes or refuses them', async () => {
    open();
    await userEvent.type(screen.getByRole('spinbutton', { name: 'TCP port' }), '81');
    await userEvent.click(screen.getByRole('button', { name: 'Connect' }));
    expect(stream().url).toContain('port=81');
    const refused = {
      ok: false,
      answer: 'refused',
      reason: 'desk answers, and nobody listens on its port 81',
    };
    act(() => stream().say('reply', reply(1, refused)));
    expect(screen.getByText('desk answers, and nobody listens on its port 81')).toBeTruthy();
    act(() => stream().say('reply', reply(2, { answer: 'desk takes the connection on port 443' })));
    expect(screen.getByText('desk takes the connection on port 443')).toBeTruthy();
  });
  test('can be stopped; what came stays', async () => {
    open();
    await userEvent.click(screen.getByRole('button', { name: 'Probe' }));
    act(() => stream().say('reply', reply(1)));
    await userEvent.click(screen.getByRole('button', { name: 'Stop' }));
    expect(stream().readyState).toBe(Stream.CLOSED);
    expect(screen.getByText('stopped')).toBeTruthy();
    expect(screen.getByText('0.008 s')).toBeTruthy();
  });
  test('says why it cannot be, and when the server is gone', async () => {
    open();
    await userEvent.click(screen.getByRole('button', { name: 'Probe' }));
    act(() => stream().say('refused', { detail: '10.0.12.2 is not an address of mill' }));
    expect(screen.getByRole('alert').textContent).toContain('10.0.12.2 is not an address of mill');
    await userEvent.click(screen.getByRole('button', { name: 'Probe' }));
    act(() => stream().break());
    expect(screen.getByRole('alert').textContent).toContain('The server does not answer');
  });
  test('names are written so that they survive in an address', () => {
    const r = { from: 'a b', source: '', to: 'x&y', count: 1, trace: false, port: 0 };
    expect(probeURL('l/1', 'now', r)).toBe('/api/labs/l%2F1/probe?from=a+b&to=x%26y&at=now&count=1');
    expect(probeURL('l/1', 'now', { ...r, port: 443 })).toContain('&port=443');
    expect(probeURL('l/1', 'now', { ...r, port: 443, trace: true })).not.toContain('port');
  });
});
