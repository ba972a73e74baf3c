// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { Previewed } from '../api/client';
import { nothingDrafted, show } from '../testing/app';
import { markdown } from './answers';
import { Field } from './Field';
import { Fixes } from './Fixes';
import { effectWords, extent, harmOf } from './harm';

describe('a fix', () => {
  test('writes its edits into the draft, or says why it cannot', async () => {
    const edit = vi.fn((...edits: string[]) =>
      edits[0]?.startsWith('bad') ? Promise.reject(new Error('bad is not there')) : Promise.resolve('new'),
    );
    show(
      <Fixes
        fixes={[
          { edits: ['mill.e1 ospf area 0'] },
          { edits: ['bad thing'] },
          { why: 'nobody but you knows' },
          { action: 'mend mill.e1' },
        ]}
      />,
      { 'POST /api/labs/x1/actions': { seq: 2 } },
      '/lab/x1/map',
      { ...nothingDrafted, edit },
    );
    await userEvent.click(screen.getByRole('button', { name: /^Fix\s*mill.e1 ospf area 0$/ }));
    expect(edit).toHaveBeenLastCalledWith('mill.e1 ospf area 0');
    await userEvent.click(screen.getByRole('button', { name: 'bad thing' }));
    expect((await screen.findByRole('alert')).textContent).toBe('bad is not there');
    expect(screen.getByText(/It cannot be written for you: nobody but you knows/)).toBeTruthy();
    expect(screen.queryByText('mend mill.e1')).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: '1 more' }));
    expect(screen.getByRole('button', { name: 'mend mill.e1' })).toBeTruthy();
  });
});

describe('a field', () => {
  test('writes what is typed over it, and nothing if that is the same', async () => {
    const edit = vi.fn(() => Promise.resolve('new'));
    show(
      <Field label="cost" value="10" edit="mill.e1 ospf cost" empty="remove mill.e1 ospf cost" />,
      {},
      '/lab/x1/map',
      { ...nothingDrafted, edit },
    );
    const input = screen.getByLabelText('cost');
    await userEvent.click(input);
    await userEvent.keyboard('{Enter}');
    expect(edit).not.toHaveBeenCalled();
    await userEvent.clear(input);
    await userEvent.type(input, '40{Enter}');
    expect(edit).toHaveBeenLastCalledWith('mill.e1 ospf cost 40');
    await userEvent.clear(input);
    await userEvent.keyboard('{Enter}');
    expect(edit).toHaveBeenLastCalledWith('remove mill.e1 ospf cost');
  });
});

describe('a draft in words', () => {
  const hunk = (block: string, added: string[], removed: string[] = []) => ({
    block,
    line: 1,
    added,
    removed,
  });
  test('how much it changes', () => {
    expect(extent([hunk('router mill', ['a', 'b']), hunk('router halt', [], ['c'])], ['mill', 'halt'])).toBe(
      '3 lines on 2 devices',
    );
    expect(extent([hunk('policy out', ['a'], ['b'])], ['shared'])).toBe('1 line in policy out');
    expect(extent([hunk('router mill', [''])], [])).toBe('layout only');
    const reached = ['mill.e1', 'mill.e2', 'halt peer 10.0.0.1', 'link a b'].map((subject) => ({ subject }));
    expect(extent([hunk('template trunk', ['a'], ['b'])], ['shared'], reached)).toBe(
      '1 line in template trunk, reaches 2 devices',
    );
  });
  test('what it would do, the harm first', () => {
    const flow = { name: 'coal', before: true, after: false, out: 9, outages: [], looped: [] };
    const p = {
      settles: true,
      summary: ['1 route changes'],
      flows: [],
      checks: [],
      sections: [],
    } as unknown as Previewed;
    expect(effectWords(p)).toBe('1 route changes');
    expect(effectWords({ ...p, flows: [{ ...flow, after: true, out: 0.5 }] })).toBe(
      '1 route changes; 1 flow out for up to 0.5 s meanwhile',
    );
    expect(harmOf({ ...p, settles: false, flows: [flow] })).toEqual([
      'the network does not settle',
      'flow coal breaks',
    ]);
    expect(effectWords({ ...p, flows: [flow] })).toBe('flow coal breaks');
    const check = (before: boolean, passed: boolean) => ({ name: 'c', before, after: { passed } });
    const checked = (...checks: unknown[]) => effectWords({ ...p, checks } as unknown as Previewed);
    expect(checked(check(true, true), check(false, true))).toBe('1 route changes; All 2 checks pass');
    expect(checked(check(false, false), check(false, true))).toBe(
      '1 route changes; 1 of 2 checks pass, 1 more than now',
    );
    expect(checked(check(false, false), check(true, true))).toBe(
      '1 route changes; 1 of 2 checks pass, as now',
    );
  });
});

test('answers are a record, the oldest first', () => {
  const said = (line: string, rows: string[] = []) => ({
    line,
    says: `${line} says`,
    good: true,
    rows,
    view: 'map' as const,
  });
  expect(
    markdown('Mill', [
      { moment: 'now', when: 'now', said: said('ping a b', ['1 ok']) },
      { moment: 'before cut', when: 'before-2', said: said('path a b'), error: 'gone' },
    ]),
  ).toBe(
    '# Mill\n\n## `path a b`\n\n*before cut*\n\ngone\n\n## `ping a b`\n\n*now*\n\nping a b says\n\n```\n1 ok\n```\n',
  );
});
