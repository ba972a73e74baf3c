// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Flow, LabState, MapData, MapEnd, RouteStory } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { neighboursOf } from '../../shared/testing/lists';
import { Explanation } from './Explanation';

const end = (device: string, port: string, more: Partial<MapEnd> = {}): MapEnd => ({
  device,
  port,
  address: '10.0.12.1/30',
  cost: 10,
  area: '0',
  up: true,
  silent: false,
  tags: [],
  state: 'Full',
  ...more,
});
const flow: Flow = {
  name: 'works',
  from: 'gate',
  to: 'desk',
  arrives: false,
  hops: [
    { device: 'gate', out: 'nic', prefix: '0.0.0.0/0', source: 'static' },
    { device: 'mill', in: 'lan' },
  ],
  reason: 'mill has no route to 10.20.2.10',
  stopsAt: 'mill',
  back: { from: 'desk', to: 'gate', arrives: false, hops: [] },
};
const map: MapData = {
  devices: [
    {
      name: 'mill',
      kind: 'router',
      address: '10.255.0.1',
      routerId: '10.255.0.1',
      areas: ['0'],
      roles: [],
      reflector: false,
      services: [],
      addresses: ['10.255.0.1'],
      enabled: true,
    },
    {
      name: 'gate',
      kind: 'host',
      areas: [],
      roles: [],
      reflector: false,
      services: [],
      addresses: ['10.20.1.10'],
      enabled: true,
    },
  ],
  virtual: [],
  places: {},
  sessions: [],
  links: [
    {
      id: 'mill.e1 halt.e1',
      kind: 'link',
      ends: [end('mill', 'e1'), end('halt', 'e1')],
      cut: false,
      delay: '1ms',
      loss: 2,
    },
  ],
  flows: [flow],
};
const story: RouteStory = {
  device: 'mill',
  prefix: '10.20.2.0/24',
  answer: 'mill reaches 10.20.2.0/24 by halt, 10.0.12.2 on e1, ospf, cost 20',
  candidates: [
    {
      prefix: '10.20.2.0/24',
      source: 'ospf',
      kind: 'intra-area',
      preference: 110,
      metric: 20,
      metric2: 0,
      tag: 0,
      blackhole: false,
      nextHops: [{ via: '10.0.12.2', port: 'e1', to: 'halt' }],
      won: true,
      why: 'longest match, least cost',
      costSum: ['10 mill.e1', '10 halt.lan'],
    },
    {
      prefix: '10.20.2.0/24',
      source: 'static',
      preference: 150,
      metric: 0,
      metric2: 0,
      tag: 0,
      blackhole: true,
      nextHops: [],
      won: false,
      why: 'another source is preferred: route preference 110, not 150',
      code: 'preference',
    },
  ],
  also: [],
};
const lab: LabState = {
  id: 'x1',
  title: 'Line',
  text: '',
  opened: 'o1',
  after: 0,
  textSeq: 1,
  now: 10,
  actions: [],
  moments: [],
  checks: 0,
  brief: false,
};
const answers = {
  'GET /api/labs/x1/map': map,
  'GET /api/labs/x1/neighbours': neighboursOf([]),
  'GET /api/labs/x1/explain': story,
};

function open(address: string, more: { link?: string; past?: boolean } = {}) {
  const act = vi.fn();
  const asked = show(
    <Explanation lab={lab} link={more.link ?? ''} act={act} past={more.past ?? false} close={() => {}} />,
    answers,
    address,
  );
  return { act, asked };
}

describe('the explanation', () => {
  test('says of a flow where it breaks and why', async () => {
    open('/lab/x1/map');
    expect(await screen.findByText('mill has no route to 10.20.2.10')).toBeTruthy();
    expect(screen.getByText(/out of nic/)).toBeTruthy();
  });
  test('says of a device in focus what it is, and acts on it', async () => {
    const { act } = open('/lab/x1/map?who=mill');
    expect(await screen.findByText('A router that runs OSPF, in area 0')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: 'Disable' }));
    expect(act).toHaveBeenCalledWith('disable mill');
  });
  test('tells the story of a route: who won, why the others lost, and what the cost is made of', async () => {
    const { asked } = open('/lab/x1/map?who=mill&to=10.20.2.0/24&when=before-1');
    expect(await screen.findByText(story.answer)).toBeTruthy();
    expect(screen.getByText(/cost 20 = 10 mill.e1 \+ 10 halt.lan/)).toBeTruthy();
    expect(screen.getByText('chosen')).toBeTruthy();
    expect(screen.getByText(/another source is preferred/)).toBeTruthy();
    expect(asked).toContain('GET /api/labs/x1/explain?at=before-1&device=mill&to=10.20.2.0/24');
  });
  test.each([
    ['Cut c', 'cut mill.e1'],
    ['Silence s', 'silence mill.e1'],
    ['Silence out', 'silence mill.e1 out'],
    ['Silence in', 'silence mill.e1 in'],
  ])('a link can be failed: %s', async (button, action) => {
    const { act } = open('/lab/x1/map', { link: 'mill.e1' });
    await userEvent.click(await screen.findByRole('button', { name: button }));
    expect(act).toHaveBeenCalledWith(action);
    expect(screen.getByText('mill.e1 to halt.e1')).toBeTruthy();
    expect(screen.getByText(/2% of packets lost at random/)).toBeTruthy();
  });
  test('the past is for reading', async () => {
    open('/lab/x1/map', { link: 'mill.e1', past: true });
    expect((await screen.findByRole<HTMLButtonElement>('button', { name: 'Cut c' })).disabled).toBe(true);
  });
});
