// @vitest-environment jsdom
import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { expect, test, vi } from 'vitest';
import type { Action, ActionDetail, Chain, Wait } from '../../shared/api/client';
import { nothingDrafted, show } from '../../shared/testing/app';
import { useState } from 'react';
import type { About } from '../../shared/api/questions';
import { CriticalPath } from './CriticalPath';

const wait = (more: Partial<Wait>): Wait => ({
  kind: 'spf-delay',
  from: 0,
  took: 1,
  device: 'mill',
  via: [],
  packets: 0,
  says: 'the SPF computation is held back',
  then: [],
  line: 0,
  ...more,
});
const path: Chain = {
  seq: 2,
  action: 'silence mill.e1',
  start: 60,
  took: 39,
  device: 'halt',
  begins: [],
  says: '39.000 s from the action to the change on halt',
  links: [
    wait({
      kind: 'dead-interval',
      took: 38,
      port: 'e1',
      says: 'no hello is heard',
      setting: 'mill.e1 dead-interval 40s',
      line: 7,
      early: true,
      then: ['neighbour halt on e1: Full to Down'],
    }),
    wait({ from: 38, rfc: '8405 5' }),
  ],
};
const outage = { from: 60, to: 99, cause: 'lost' };
const detail = {
  seq: 2,
  action: 'silence mill.e1',
  convergence: 39,
  start: 60,
  flows: [
    { name: 'coal', from: 'a', to: 'b', outages: [outage], looped: [] },
    { name: 'wood', from: 'a', to: 'b', outages: [], looped: [] },
  ],
} as unknown as ActionDetail;
const answers = {
  'GET /api/labs/x1/critical-path': { path },
  'GET /api/labs/x1/shortenings': [
    {
      says: 'send hellos every 1s',
      edits: ['mill.e1 dead-interval 4s'],
      before: 39,
      after: 4,
      packets: 1.8,
      lsas: 0,
    },
    { says: 'a cost', edits: ['mill.e1 cost 5'], before: 39, after: 39, packets: 0, lsas: 0 },
  ],
};

const actions = [
  { seq: 1, action: 'apply', convergence: 5 },
  { seq: 2, action: 'silence mill.e1', convergence: 39 },
] as Action[];

function Shown({ goto = vi.fn() }: { goto?: (line: number) => void }) {
  const [about, setAbout] = useState<About>({});
  return <CriticalPath d={detail} actions={actions} about={about} choose={setAbout} goto={goto} />;
}

test('what was waited for, where it is set, and whose outage it was', async () => {
  const goto = vi.fn();
  const asked = show(<Shown goto={goto} />, answers, '/lab/x1/timeline');
  const table = within(await screen.findByRole('region', { name: 'Critical path' }));
  expect(table.getByText('no hello is heard', { exact: false }).textContent).toContain(
    'it had begun before the action',
  );
  expect(table.getByText('neighbour halt on e1: Full to Down')).toBeTruthy();
  expect(table.getByText('RFC 8405 5')).toBeTruthy();
  await userEvent.click(table.getByText('mill.e1 dead-interval 40s'));
  expect(goto).toHaveBeenCalledWith(7);
  expect(screen.queryByRole('button', { name: 'wood' })).toBeNull();
  await userEvent.click(screen.getByRole('button', { name: 'coal' }));
  expect(asked.at(-1)).toContain('flow=coal');
  expect(screen.getByRole('link', { name: 'CSV' }).getAttribute('href')).toBe(
    '/api/labs/x1/actions/2/critical-path/csv?flow=coal',
  );
});

test('what would shorten it goes into the draft', async () => {
  const edit = vi.fn(() => Promise.resolve('text'));
  const asked = show(<Shown />, answers, '/lab/x1/timeline', {
    ...nothingDrafted,
    edit,
  });
  await screen.findByRole('region', { name: 'Critical path' });
  expect(asked.some((a) => a.includes('shortenings'))).toBe(false);
  await userEvent.click(screen.getByRole('button', { name: 'What would shorten it?' }));
  const list = within(await screen.findByTestId('shorter'));
  expect((await list.findByText(/send hellos every 1s/)).textContent).toContain(
    'for 1.8 packets a second more',
  );
  expect(list.getByText(/a cost/).textContent).toContain('at no cost while nothing happens');
  const [fix] = list.getAllByRole('button', { name: /Fix/ });
  if (fix) await userEvent.click(fix);
  expect(edit).toHaveBeenCalledWith('mill.e1 dead-interval 4s');
});

test('nothing was waited for', async () => {
  show(<Shown />, { 'GET /api/labs/x1/critical-path': {} }, '/lab/x1/timeline');
  expect(await screen.findByText(/The action itself decided that/)).toBeTruthy();
});

test('beside another action, and beside the same one with the draft', async () => {
  const other: Chain = {
    ...path,
    seq: 1,
    action: 'apply',
    took: 5,
    links: [wait({ took: 5, says: 'it came up' })],
  };
  const quicker: Chain = { ...path, took: 4, links: [wait({ took: 4, says: 'hellos come often' })] };
  const asked = show(
    <Shown />,
    {
      'GET /api/labs/x1/critical-path?seq=1': { path: other },
      'GET /api/labs/x1/critical-path?seq=2': { path },
      'POST /api/labs/x1/critical-path': { path: quicker },
    },
    '/lab/x1/timeline',
    { ...nothingDrafted, dirty: true, draft: { text: 'router mill', base: 1 } },
  );
  const choice = await screen.findByLabelText('beside it');
  await userEvent.selectOptions(choice, '1: apply');
  expect((await screen.findByRole('group', { name: 'apply' })).textContent).toContain('it came up');
  await userEvent.selectOptions(choice, 'the same with the draft');
  expect((await screen.findByRole('group', { name: 'with the draft' })).textContent).toContain(
    'hellos come often',
  );
  expect(asked.at(-1)).toContain('"text":"router mill"');
});
