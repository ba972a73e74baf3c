// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { MapData, Neighbour } from '../../shared/api/client';
import { problem, show } from '../../shared/testing/app';
import { Why, offered } from './Why';

const focus = { who: '', to: '', when: 'now', since: '' };
const map = {
  devices: [],
  links: [],
  virtual: [],
  places: {},
  flows: [{ name: 'coal' }],
  sessions: [
    { a: 'mill', b: 'halt', peer: '10.255.0.2', external: false },
    { a: 'mill', b: 'lark', peer: '192.0.2.2', external: true },
  ],
} as unknown as MapData;
const down = [
  { up: false, a: { device: 'mill' }, b: { device: 'halt' } },
  { up: true, a: { device: 'mill' }, b: { device: 'lark' } },
] as unknown as Neighbour[];

describe('the questions that the focus brings to mind', () => {
  test('nothing chosen: what is down, and the flows', () => {
    expect(offered(focus, '', map, down)).toEqual([
      'why is mill - halt not up',
      'why does flow coal take this path',
    ]);
  });
  test('a router and a prefix: its route, and whom it sends it to, other ASes first', () => {
    expect(offered({ ...focus, who: 'mill', to: '203.0.113.0/24' }, '', map, [])).toEqual([
      'why 203.0.113.0/24 on mill',
      'why is 203.0.113.0/24 sent to lark by mill, or not',
      'why is 203.0.113.0/24 sent to halt by mill, or not',
      'what breaks without mill',
    ]);
  });
  test('a link, a session, a flow, a prefix', () => {
    expect(offered({ ...focus, who: 'mill.e1' }, '', map, [])).toContain('what breaks without mill.e1');
    expect(offered(focus, 'mill.e2', map, [])).toContain('what breaks without mill.e2');
    expect(offered({ ...focus, who: 'mill/192.0.2.2' }, '', map, [])).toContain(
      'why is the session mill/192.0.2.2 in its state',
    );
    expect(offered({ ...focus, to: 'flow coal' }, '', map, [])).toContain(
      'why does flow coal take this path',
    );
    expect(offered({ ...focus, to: '10.0.0.0/8' }, '', map, [])).toContain('who has a route to 10.0.0.0/8');
  });
});

describe('the place to ask', () => {
  const answer = {
    question: 'Why does mill have this route to 10.0.0.0/8, or none?',
    kind: 'route',
    says: 'mill has no route to 10.0.0.0/8',
    codes: [],
    facts: [
      { text: 'nobody announces it', view: 'routes', who: 'mill', to: '10.0.0.0/8' },
      { text: 'its peer stands here', view: 'text', line: 12 },
      { text: 'it went away', view: 'timeline', who: 'mill', when: 61.5 },
    ],
  };
  const open = (more: Record<string, unknown> = {}, at = '/lab/x1/map?who=mill&to=10.0.0.0/8') => {
    const goto = vi.fn();
    const asked = show(
      <Why map={map} neighbours={[]} link="" close={() => undefined} goto={goto} />,
      { 'GET /api/labs/x1/why': answer, ...more },
      at,
    );
    return { goto, asked };
  };
  test('asks with the focus, and each fact leads to its proof', async () => {
    const { goto, asked } = open();
    await userEvent.click(screen.getByRole('button', { name: 'why 10.0.0.0/8 on mill' }));
    expect(await screen.findByText('mill has no route to 10.0.0.0/8')).toBeTruthy();
    expect(asked).toEqual([
      'GET /api/labs/x1/why?at=now&question=why 10.0.0.0/8 on mill&who=mill&to=10.0.0.0/8',
    ]);
    await userEvent.click(screen.getByRole('button', { name: 'line 12' }));
    expect(goto).toHaveBeenCalledWith(12);
    await userEvent.click(screen.getByRole('button', { name: 'see routes' }));
    expect(screen.getByTestId('address').textContent).toContain('/lab/x1/routes?who=mill');
    await userEvent.click(screen.getByRole('button', { name: 'the moment, 61.5 s' }));
    expect(screen.getByTestId('address').textContent).toContain('when=61.5');
  });
  test('what is typed is asked; what is not understood is said', async () => {
    const { asked } = open({ 'GET /api/labs/x1/why': problem(422, 'ask for example: why viaduct') });
    await userEvent.type(screen.getByLabelText('Question'), 'why the moon{Enter}');
    expect(await screen.findByText('ask for example: why viaduct')).toBeTruthy();
    expect(asked[0]).toContain('question=why the moon');
  });
});
