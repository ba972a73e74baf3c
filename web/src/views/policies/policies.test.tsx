// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Bench, LabState } from '../../shared/api/client';
import { nothingDrafted, show } from '../../shared/testing/app';
import { PoliciesView } from './PoliciesView';

const text = `lab "T"
policy out
  statement own
    where prefix in ours
    accept`;
const lab: LabState = {
  id: 'x1',
  title: 'T',
  text,
  opened: 'o1',
  after: 0,
  textSeq: 1,
  now: 100,
  actions: [],
  moments: [],
  checks: 0,
  brief: false,
};
const attributes = {
  asPath: '',
  length: 0,
  origin: 'igp' as const,
  communities: [],
  clusters: [],
  atomic: false,
  unknown: [],
};
const trace = (accepted: boolean) => ({
  policy: 'out',
  accepted,
  atEnd: !accepted,
  says: '',
  steps: [
    {
      statement: 'own',
      matched: accepted,
      conditions: [{ condition: 'prefix in ours', holds: accepted, value: '203.0.113.0/24' }],
      actions: [],
      verdict: accepted ? ('accept' as const) : ('no verdict' as const),
    },
  ],
});
const bench = (more: Partial<Bench> = {}): Bench => ({
  policy: 'out',
  accepted: 1,
  differs: 0,
  unused: [],
  problems: [],
  omitted: 0,
  rows: [
    { prefix: '203.0.113.0/24', before: attributes, changes: [], trace: trace(true), differs: false },
    { prefix: '10.0.0.0/8', before: attributes, changes: [], trace: trace(false), differs: false },
  ],
  ...more,
});
const answers = {
  'GET /api/labs/x1/map': { devices: [], links: [], virtual: [], places: {}, flows: [], sessions: [] },
  'GET /api/labs/x1/policies': [
    {
      name: 'out',
      statements: ['own'],
      uses: [{ device: 'mill', peer: '192.0.2.2', role: 'out', words: 'mill, what 192.0.2.2 is sent' }],
    },
  ],
  'POST /api/labs/x1/bench': bench(),
};
const at = '/lab/x1/policies';

describe('the policy bench', () => {
  test('the verdict on each route of a session, and statement by statement', async () => {
    const asked = show(<PoliciesView lab={lab} />, answers, at);
    expect(await screen.findByText('of 2 accepted')).toBeTruthy();
    expect(asked.some((a) => a.includes('"device":"mill","peer":"192.0.2.2","direction":"out"'))).toBe(true);
    expect(screen.getByText('by own')).toBeTruthy();
    expect(screen.getByText('at the end')).toBeTruthy();
    await userEvent.click(screen.getByText('10.0.0.0/8'));
    expect(screen.getByText(/does not hold: prefix in ours/)).toBeTruthy();
  });
  test('routes that are typed', async () => {
    const asked = show(<PoliciesView lab={lab} />, answers, at);
    await userEvent.selectOptions(await screen.findByLabelText('tried on'), 'routes typed here');
    expect(screen.getByRole('textbox', { name: 'Routes to try' })).toBeTruthy();
    expect(asked.at(-1)).toContain('"routes":["203.0.113.0/24"');
  });
  test('a draft: the verdicts that change, and taking it over into the text', async () => {
    const changed = bench({
      differs: 1,
      rows: [
        {
          prefix: '203.0.113.0/24',
          before: attributes,
          changes: [],
          trace: trace(true),
          draft: trace(false),
          differs: true,
        },
      ],
    });
    const write = vi.fn();
    // What somebody else wrote into the draft stays.
    const draft = { text: `${text}\nrouter mill`, base: 1 };
    const asked = show(<PoliciesView lab={lab} />, { ...answers, 'POST /api/labs/x1/bench': changed }, at, {
      ...nothingDrafted,
      draft,
      write,
    });
    const box = await screen.findByRole('textbox', { name: 'The policy' });
    await userEvent.clear(box);
    await userEvent.type(box, 'policy out');
    expect(await screen.findByText('come out otherwise with the draft')).toBeTruthy();
    expect(asked.at(-1)).toContain('policy out');
    await userEvent.click(screen.getByRole('button', { name: 'Copy into the text' }));
    expect(write).toHaveBeenCalledWith('lab "T"\npolicy out\nrouter mill');
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/text');
  });
  test("a router's own policy beside the lab's", async () => {
    const own = {
      name: 'out',
      device: 'mill',
      statements: ['own'],
      uses: [{ device: 'mill', peer: '192.0.2.2', role: 'out', words: 'mill, what 192.0.2.2 is sent' }],
    };
    const lab2 = { ...lab, text: `${text}\nrouter mill\n  policy out\n    otherwise reject` };
    const both = [{ name: 'out', statements: ['own'], uses: [] }, own];
    const asked = show(<PoliciesView lab={lab2} />, { ...answers, 'GET /api/labs/x1/policies': both }, at);
    expect(await screen.findByText('mill has its own out instead.')).toBeTruthy();
    await userEvent.selectOptions(screen.getByLabelText('Policy'), 'out of mill');
    expect(screen.getByText("mill has it of its own: it hides the lab's out there.")).toBeTruthy();
    expect(screen.getByRole<HTMLTextAreaElement>('textbox', { name: 'The policy' }).value).toBe(
      '  policy out\n    otherwise reject',
    );
    expect(asked.at(-1)).toContain('"owner":"mill"');
  });
  test('a lab without policies says how to write one', async () => {
    show(<PoliciesView lab={lab} />, { ...answers, 'GET /api/labs/x1/policies': [] }, at);
    expect(await screen.findByText('This lab has no policies')).toBeTruthy();
  });
});
