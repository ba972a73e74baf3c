// @vitest-environment jsdom
import { act, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { CheckResult } from '../../shared/api/client';
import { BriefPanel } from '../../panels/brief/BriefPanel';
import { forgetLooks, noteLook } from '../../shared/focus/looks';
import { show } from '../../shared/testing/app';
import { ChecksView } from './ChecksView';

const check = (name: string, passed: boolean, more: Partial<CheckResult> = {}): CheckResult => ({
  name,
  passed,
  when: ['cut mill.e1'],
  line: 40,
  outcomes: [
    {
      expects: 'reach mill -> halt',
      passed,
      says: passed ? 'mill - halt' : 'mill: mill has no route',
      facts: [{ text: 'mill has no route', view: 'routes', who: 'mill', to: '10.255.0.2' }],
    },
  ],
  ...more,
});

const nth = (name: string, i: number) => screen.getAllByRole('button', { name })[i] as HTMLElement;

describe('the checks', () => {
  test('show what failed first, with what was found and where', async () => {
    const goto = vi.fn();
    show(<ChecksView goto={goto} />, {
      'GET /api/labs/x1/checks': [check('a', true), check('b', false, { when: [] })],
    });
    const cards = await screen.findAllByTestId('check');
    expect(cards.map((c) => c.textContent)).toEqual([
      expect.stringMatching(/^failsb.*reach mill -> halt.*mill has no route/),
      expect.stringMatching(/^passesa.*on a copy, after cut mill\.e1/),
    ]);
    await userEvent.click(nth('line 40', 0));
    expect(goto).toHaveBeenCalledWith(40);
    // What was found out on a copy is to be seen nowhere.
    expect(screen.getAllByRole('button', { name: 'see routes' })).toHaveLength(1);
    await userEvent.click(nth('see routes', 0));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/routes?who=mill&to=10.255.0.2');
  });
  test('can be kept to those that failed', async () => {
    show(<ChecksView goto={() => undefined} />, {
      'GET /api/labs/x1/checks': [check('a', true), check('b', false)],
    });
    await userEvent.click(await screen.findByRole('button', { name: 'failed' }));
    expect(screen.getAllByTestId('check')).toHaveLength(1);
  });
  test('of two moments are those that come out otherwise', async () => {
    const asked = show(
      <ChecksView goto={() => undefined} />,
      { 'GET /api/labs/x1/checks': [check('a', true)] },
      '/lab/x1/checks?when=before-2..now',
    );
    expect(await screen.findByText('Nothing is different here')).toBeTruthy();
    expect(screen.getByTestId('unchanged').textContent).toBe('1 of 1 check as before');
    expect(asked).toEqual(['GET /api/labs/x1/checks?at=now', 'GET /api/labs/x1/checks?at=before-2']);
  });
  test('a lab without checks says how to write one', async () => {
    show(<ChecksView goto={() => undefined} />, { 'GET /api/labs/x1/checks': [] });
    expect(await screen.findByText('The text has no checks')).toBeTruthy();
  });
});

describe('the brief', () => {
  test('ticks tasks off by their checks, and shows an answer when asked', async () => {
    show(<BriefPanel close={() => undefined} />, {
      'GET /api/labs/x1/brief': {
        text: ['Background.'],
        tasks: [
          { text: 'Bring coal', done: true, checks: [check('coal', true)], acts: [], looks: [] },
          { text: 'Bring ore', done: false, checks: [check('ore', false)], acts: [], looks: [] },
        ],
        questions: [{ text: 'Why coal?', answer: 'It burns.' }],
      },
    });
    expect(await screen.findByText('1 of 2 done')).toBeTruthy();
    expect(screen.getAllByTestId('task').map((t) => t.textContent.slice(0, 5))).toEqual(['doneB', 'to do']);
    expect(screen.queryByText('It burns.')).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: 'show the answer' }));
    expect(screen.getByText('It burns.')).toBeTruthy();
    await userEvent.click(nth('Details', 1));
    expect(screen.getByTestId('check').textContent).toContain('mill has no route');
  });
  test('a task that asks for a look is done when its reader has looked, in this browser', async () => {
    localStorage.clear();
    const task = {
      text: 'Cut it',
      done: true,
      checks: [],
      acts: [{ verb: 'cut', done: true }],
      looks: ['timeline'],
    };
    show(<BriefPanel close={() => undefined} />, {
      'GET /api/labs/x1/brief': { text: [], tasks: [task], questions: [] },
    });
    expect(await screen.findByText('0 of 1 done')).toBeTruthy();
    expect(screen.getByTestId('task').textContent).toContain('left: look at timeline');
    act(() => noteLook('x1', 'routes'));
    expect(screen.getByText('0 of 1 done')).toBeTruthy();
    act(() => noteLook('x1', 'timeline'));
    expect(screen.getByText('1 of 1 done')).toBeTruthy();
    act(() => forgetLooks('x1'));
    expect(screen.getByText('0 of 1 done')).toBeTruthy();
  });
});
