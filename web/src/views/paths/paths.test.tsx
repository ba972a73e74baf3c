// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Attributes, Borders as Matrix, MapData, PrefixPaths, TablePart } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { Borders } from './Borders';
import { PathsView } from './PathsView';
import { details, prefixSet } from './words';

const attributes = (more: Partial<Attributes> = {}): Attributes => ({
  asPath: '64496 64498',
  length: 2,
  nextHop: '192.0.2.2',
  nextHopOf: 'ford',
  origin: 'igp',
  communities: [],
  clusters: [],
  atomic: false,
  unknown: [],
  ...more,
});
const router = (name: string, as: number): MapData['devices'][number] => ({
  name,
  kind: 'router',
  as,
  areas: [],
  roles: [],
  reflector: false,
  services: [],
  addresses: [],
  enabled: true,
});
const map: MapData = {
  devices: [router('mill', 64500), router('ford', 64496)],
  links: [],
  virtual: [],
  places: {},
  flows: [],
  sessions: [
    {
      a: 'mill',
      b: 'ford',
      external: true,
      up: true,
      state: 'Established',
      peer: '192.0.2.2',
      back: '192.0.2.1',
      linked: true,
    },
  ],
};
const story: PrefixPaths = {
  prefix: '198.51.100.0/24',
  near: [],
  routers: [
    {
      device: 'mill',
      as: 64500,
      answer: 'mill uses the path from ford',
      because: 'the only one accepted',
      missing: [],
      paths: [
        {
          from: 'ford',
          peer: '192.0.2.2',
          kind: 'external',
          shares: false,
          received: attributes(),
          after: attributes({ localPref: 200 }),
          accepted: true,
          chosen: true,
          why: 'it is the best',
          import: {
            policy: 'from-ford',
            accepted: true,
            atEnd: false,
            says: 'statement all of from-ford accepts it: set local-preference 200',
            steps: [
              {
                statement: 'all',
                matched: true,
                conditions: [{ condition: 'prefix in some', holds: true, value: '198.51.100.0/24' }],
                actions: ['set local-preference 200'],
                verdict: 'accept',
              },
            ],
          },
        },
        {
          from: 'reed',
          peer: '192.0.2.6',
          kind: 'external',
          shares: false,
          received: attributes({ asPath: '64497 64498' }),
          after: attributes({ asPath: '64497 64498' }),
          accepted: true,
          chosen: false,
          code: 'local-preference',
          what: 'local preference',
          why: 'another path has a higher local preference',
          mine: '100',
          theirs: '200',
          against: 'ford',
          rfc: '4271 9.1.1',
        },
      ],
      sent: [
        {
          to: 'reed',
          peer: '192.0.2.6',
          kind: 'external',
          up: true,
          code: 'policy',
          why: 'the end of to-reed rejects',
        },
      ],
    },
  ],
};
const table: TablePart = {
  device: 'mill',
  peer: '192.0.2.2',
  with: 'ford',
  stages: [
    { stage: 'chosen', rows: 1 },
    { stage: 'refused', rows: 1 },
  ],
  found: 2,
  lines: 2,
  offset: 0,
  part: [
    {
      row: {
        prefix: '198.51.100.0/24',
        stage: 'chosen',
        path: attributes(),
        why: 'it is the best',
        paths: 0,
        sentTo: 0,
        firstAs: 64496,
        nextHop: '192.0.2.2',
      },
    },
    {
      row: {
        prefix: '203.0.113.0/24',
        stage: 'refused',
        path: attributes({ asPath: '64496 64500' }),
        why: 'our AS is in the path: it would loop',
        paths: 0,
        sentTo: 0,
        firstAs: 64496,
      },
    },
  ],
};
const answers = {
  'GET /api/labs/x1/map': map,
  'GET /api/labs/x1/paths': story,
  'GET /api/labs/x1/path-table': table,
};

// jsdom lays nothing out, so a list that shows what there is room for would show nothing.
vi.mock('@tanstack/react-virtual', () => ({
  useVirtualizer: ({ count }: { count: number }) => ({
    getTotalSize: () => 44 * count,
    measureElement: () => undefined,
    getVirtualItems: () =>
      Array.from({ length: count }, (_, index) => ({ index, key: index, start: 44 * index })),
  }),
}));

describe('paths in words', () => {
  test('attributes in a line: only what is not as usual', () => {
    expect(details(attributes())).toBe('next hop 192.0.2.2 (ford)');
    expect(details(attributes({ localPref: 200, med: 5, origin: 'egp', communities: ['64500:1'] }), 20)).toBe(
      'next hop 192.0.2.2 (ford) · interior cost 20 · local preference 200 · MED 5 · origin egp · communities 64500:1',
    );
  });
  test('marked rows become a prefix set', () => {
    expect(prefixSet('picked', ['10.0.0.0/8', '192.0.2.0/24'])).toBe(
      'prefix-set picked\n  10.0.0.0/8\n  192.0.2.0/24\n',
    );
  });
});

describe('the story of a prefix', () => {
  test('each path with the step that decided and both values, and what was not sent and why', async () => {
    show(<PathsView />, answers, '/lab/x1/paths?to=198.51.100.0/24');
    expect(await screen.findByText('mill uses the path from ford.')).toBeTruthy();
    expect(screen.getByText('chosen')).toBeTruthy();
    expect(screen.getByText('not chosen').closest('button')?.textContent).toContain(
      'another path has a higher local preference: 100 here, 200 from ford',
    );
    expect(screen.getByText('the end of to-reed rejects')).toBeTruthy();
  });
  test('a path opens to its attributes and to what the policy did', async () => {
    show(<PathsView />, answers, '/lab/x1/paths?to=198.51.100.0/24');
    await userEvent.click(await screen.findByText('chosen'));
    expect(screen.getByText('does: set local-preference 200')).toBeTruthy();
    expect(screen.getByText(/holds: prefix in some/)).toBeTruthy();
  });
  test('a prefix that BGP has not, with those near it', async () => {
    show(
      <PathsView />,
      {
        ...answers,
        'GET /api/labs/x1/paths': { prefix: '198.51.0.0/16', routers: [], near: ['198.51.100.0/24'] },
      },
      '/lab/x1/paths?to=198.51.0.0/16',
    );
    expect(await screen.findByText('BGP has no 198.51.0.0/16')).toBeTruthy();
    await userEvent.click(screen.getByText('198.51.100.0/24'));
    expect(screen.getByTestId('address').textContent).toContain('to=198.51.100.0/24');
  });
});

describe('the tables of a session', () => {
  const at = '/lab/x1/paths?who=mill/192.0.2.2';
  test('what came in and what became of it', async () => {
    const asked = show(<PathsView />, answers, at);
    expect(await screen.findByText('our AS is in the path: it would loop')).toBeTruthy();
    expect(asked).toContain(
      'GET /api/labs/x1/path-table?at=now&device=mill&peer=192.0.2.2&way=in&find=&by=&offset=0&limit=60',
    );
    expect(screen.getByRole('button', { name: 'Received from ford' })).toBeTruthy();
  });
  test('what is looked for and how it is grouped is asked of the server; marked rows are a prefix set', async () => {
    const grouped: TablePart = {
      ...table,
      found: 1,
      part: [{ group: 'AS 64496', rows: 1 }, table.part[1] ?? {}],
    };
    const asked = show(<PathsView />, { ...answers, 'GET /api/labs/x1/path-table': grouped }, at);
    await userEvent.type(await screen.findByRole('textbox', { name: 'Filter' }), 'loop');
    await userEvent.selectOptions(await screen.findByLabelText('grouped by'), 'neighbouring AS');
    await waitFor(() =>
      expect(asked.some((a) => a.includes('find=loop&by=neighbouring AS&offset=0'))).toBe(true),
    );
    expect(await screen.findByText('AS 64496: 1 prefix')).toBeTruthy();
    expect(screen.getByText('1 match')).toBeTruthy();
    await userEvent.click(screen.getByRole('checkbox', { name: 'mark 203.0.113.0/24' }));
    expect(screen.getByText(/prefix-set picked/).textContent).toContain('203.0.113.0/24');
  });
  test('no BGP at all', async () => {
    show(<PathsView />, { 'GET /api/labs/x1/map': { ...map, sessions: [] } }, at);
    expect(await screen.findByText('BGP runs nowhere')).toBeTruthy();
  });
});

const crossing = { sessions: 1, of: 1, by: ['mill'] };
const borders = (sent: string): Matrix => ({
  as: 64500,
  ases: [64500, 64496],
  omitted: 0,
  neighbours: [{ as: 64496, name: 'ford', sessions: [] }],
  rows: [
    {
      prefix: '198.51.100.0/24',
      cells: [
        { received: { ...crossing, path: '64496 64498', state: 'refused', why: 'our AS is in the path' } },
      ],
    },
    { prefix: '203.0.113.0/24', cells: [{ sent: { ...crossing, of: 2, path: sent, state: 'sent' } }] },
  ],
});

describe('what crosses between ASes', () => {
  test('is what Paths shows while nothing is in focus', async () => {
    const asked = show(<PathsView />, { ...answers, 'GET /api/labs/x1/borders': borders('64500') });
    const sheet = await screen.findByRole('region', { name: 'By neighbour AS' });
    expect(sheet.textContent).toContain('AS 64496, ford');
    expect(sheet.textContent).toContain('received 64496 64498 not accepted: our AS is in the path');
    expect(sheet.textContent).toContain('sent 64500 (1 of 2 sessions)');
    await userEvent.type(screen.getByLabelText('Filter prefixes'), '203');
    expect(sheet.textContent).not.toContain('198.51.100.0/24');
    await userEvent.selectOptions(screen.getByLabelText('Our AS'), 'AS 64496');
    expect(asked.some((a) => a.includes('/borders?at=now&as=64496'))).toBe(true);
  });
  test('is compared with another moment', async () => {
    show(<Borders id="x1" when="now" since="before-2" />, { 'GET /api/labs/x1/borders': borders('64500') });
    expect(await screen.findByText('Nothing is different')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: 'Only what is different' }));
    expect(screen.getByText('203.0.113.0/24')).toBeTruthy();
  });
});

test('a prefix begins with a line for each router', async () => {
  const two = {
    ...story,
    routers: [...story.routers, { ...story.routers[0], device: 'weir', because: 'no path', paths: [] }],
  };
  show(<PathsView />, { ...answers, 'GET /api/labs/x1/paths': two }, '/lab/x1/paths?to=198.51.100.0/24');
  const glance = await screen.findByRole('table', { name: 'Each router in a line' });
  expect(
    within(glance)
      .getAllByRole('row')
      .map((r) => r.textContent),
  ).toEqual([
    'routerAS pathfromviawhy it is best',
    'mill AS 64500AS 64496 64498fordfordthe only one accepted',
    'weir AS 64500noneno path',
  ]);
});
