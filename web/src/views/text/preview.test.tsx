// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Previewed } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { PreviewPanel } from './PreviewPanel';
import { noPlan, orderOf, samePlan } from '../../shared/draft/plan';
import { StagePlan } from './StagePlan';
import { mended } from '../../shared/draft/edits';

const preview = (more: Partial<Previewed> = {}): Previewed => ({
  id: 'p1',
  summary: ['quarry sends gannet 1 more prefix: 198.51.100.0/24'],
  same: false,
  settles: true,
  devices: ['quarry'],
  of: 3,
  changes: [
    {
      kind: 'changed' as const,
      subject: 'policy to-gannet',
      what: 'statement all',
      from: '',
      to: 'accept',
      effect: 'live',
    },
  ],
  actions: [],
  flows: [],
  checks: [],
  sections: [],
  ...more,
});

describe('a preview', () => {
  test('says in words what would be different, and who is out meanwhile', () => {
    show(
      <PreviewPanel
        stale={false}
        preview={preview({
          flows: [
            {
              name: 'coal',
              before: true,
              after: true,
              out: 1.25,
              outages: [{ from: 1, to: 2.25, cause: 'mill has no route' }],
              looped: [],
            },
            { name: 'ore', before: true, after: false, out: 9, outages: [], looped: [] },
          ],
        })}
      />,
      {},
    );
    const text = screen.getByTestId('preview').textContent;
    expect(text).toContain('quarry sends gannet 1 more prefix');
    expect(text).toContain('flow coal is out for 1.25 s meanwhile');
    expect(text).toContain('flow ore breaks for good');
    expect(text).toContain('1 change of the text, by meaning');
  });
  test('shows a check that would fail with what was found', () => {
    const outcome = { expects: 'flow coal', passed: false, says: 'it does not arrive', facts: [] };
    show(
      <PreviewPanel
        stale
        preview={preview({
          takenBack: 'check "coal" fails',
          checks: [
            {
              name: 'coal',
              before: true,
              after: { name: 'coal', passed: false, when: [], outcomes: [outcome] },
            },
          ],
        })}
      />,
      {},
    );
    const text = screen.getByTestId('preview').textContent;
    expect(text).toContain('1 check would fail');
    expect(text).toContain('it does not arrive');
    expect(text).toContain('It would be taken back automatically: check "coal" fails');
    expect(text).toContain('The draft has changed since');
  });
});

describe('a staged change', () => {
  test('keeps the chosen order, with what the change touches now', () => {
    expect(orderOf({ ...noPlan, order: ['halt', 'gone', 'mill'] }, ['shared', 'mill', 'halt'])).toEqual([
      'halt',
      'mill',
      'shared',
    ]);
  });
  test('is the same whatever is said of it, and another in another order', () => {
    const plan = { ...noPlan, staged: true, order: ['halt', 'mill'] };
    const touched = ['mill', 'halt'];
    expect(samePlan(plan, { ...plan, message: 'why' }, touched)).toBe(true);
    expect(samePlan(plan, { ...plan, order: [] }, touched)).toBe(false);
    expect(samePlan(plan, { ...plan, pause: 1 }, touched)).toBe(false);
    expect(samePlan(noPlan, { ...noPlan, pause: 1 }, touched)).toBe(true);
    expect(samePlan(noPlan, { ...noPlan, guard: true }, touched)).toBe(false);
  });
  test('is put into order by hand', async () => {
    const change = vi.fn();
    show(
      <StagePlan
        plan={{ ...noPlan, staged: true }}
        touched={['mill', 'halt']}
        change={change}
        author=""
        setAuthor={() => undefined}
      />,
      {},
    );
    await userEvent.click(screen.getByRole('button', { name: 'halt earlier' }));
    expect(change).toHaveBeenLastCalledWith({ ...noPlan, staged: true, order: ['halt', 'mill'] });
    await userEvent.click(screen.getByLabelText(/take it back automatically/));
    expect(change).toHaveBeenLastCalledWith({ ...noPlan, staged: true, guard: true });
  });
});

describe('edits of a text', () => {
  test('a fix takes the place of what was wrong', () => {
    expect(mended('router x\n  prot e1', 2, { column: 3, end: 7, text: 'port' })).toBe('router x\n  port e1');
    expect(mended('lab “ö” x', 1, { column: 9, end: 10, text: 'y' })).toBe('lab “ö” y');
  });
});
