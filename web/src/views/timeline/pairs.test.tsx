// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { ActionDetail, LabState, Pairs } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { AllPairs } from './AllPairs';
import { Moments } from './Moments';
import { ringPoints } from './circle';

const pairs = (more: Partial<Pairs> = {}): Pairs => ({
  of: 6,
  total: 1,
  longest: 2.5,
  out: [{ from: 'mill', to: 'halt', seconds: 2.5, where: ['mill.e1'], outages: [] }],
  loops: [
    {
      devices: ['mill', 'halt'],
      from: 61.25,
      until: 61.3,
      toward: ['crane'],
      why: 'halt computed its routes 0.050 s after the action',
    },
  ],
  ...more,
});
const detail = { seq: 2, start: 60 } as ActionDetail;
const at = '/lab/x1/timeline';
const choose = vi.fn();
const mapOf = (n: number) => ({ devices: Array.from({ length: n }, (_, i) => ({ name: `r${i}` })) });

describe('all hosts and loopbacks', () => {
  test('say who was out, for how long and where; loops are drawn and lead to their moment', async () => {
    show(
      <AllPairs lab="x1" d={detail} choose={choose} />,
      { 'GET /api/labs/x1/map': mapOf(14), 'GET /api/labs/x1/pairs': pairs() },
      at,
    );
    expect(await screen.findByText('1 of 6 pairs were out for a time, the longest for 2.5 s')).toBeTruthy();
    expect(screen.getByText('ended at mill.e1')).toBeTruthy();
    expect(screen.getByRole('img', { name: 'loop of mill, halt' })).toBeTruthy();
    await userEvent.click(screen.getByTitle('what it waited for'));
    expect(choose).toHaveBeenCalledWith(pairs().out[0]?.from, pairs().out[0]?.to);
    await userEvent.click(screen.getByRole('button', { name: '1.250000 s after the action' }));
    expect(screen.getByTestId('address').textContent).toContain('when=61.25');
    expect(screen.getByRole('link', { name: 'Markdown' }).getAttribute('href')).toBe(
      '/api/labs/x1/actions/2/report/md',
    );
  });
  test('are followed when somebody asks, if there are many', async () => {
    const asked = show(
      <AllPairs lab="x1" d={detail} choose={choose} />,
      { 'GET /api/labs/x1/map': mapOf(500), 'GET /api/labs/x1/pairs': pairs() },
      at,
    );
    await userEvent.click(await screen.findByRole('button', { name: 'Follow them' }));
    expect(await screen.findByText(/1 of 6 pairs were out/)).toBeTruthy();
    expect(asked.filter((a) => a.includes('/pairs'))).toHaveLength(1);
  });
  test('none of them out is said in a word', async () => {
    show(
      <AllPairs lab="x1" d={detail} choose={choose} />,
      {
        'GET /api/labs/x1/map': mapOf(14),
        'GET /api/labs/x1/pairs': pairs({ total: 0, out: [], loops: [] }),
      },
      at,
    );
    expect(await screen.findByText('none of 6 pairs was out')).toBeTruthy();
  });
});

test('a loop of three is drawn as a triangle that stands on its base', () => {
  const [top, right, left] = ringPoints(3, 50, 30);
  expect(top).toEqual({ x: 50, y: 20 });
  expect(right?.y).toBeCloseTo(65);
  expect(left?.x).toBeCloseTo(50 - (right?.x ?? 0) + 50);
});

describe('named moments', () => {
  const lab: LabState = {
    id: 'x1',
    title: 'T',
    text: '',
    opened: 'o1',
    after: 0,
    textSeq: 1,
    now: 100,
    actions: [],
    moments: [{ name: 'calm', at: 50, step: 1 }],
    checks: 0,
    brief: false,
  };
  test('are gone to and compared with', async () => {
    show(<Moments lab={lab} />, {}, at);
    await userEvent.click(screen.getByRole('button', { name: 'compare' }));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/timeline?when=calm..now');
    await userEvent.click(screen.getByRole('button', { name: 'calm' }));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/timeline?when=calm');
    expect(screen.getByRole('button', { name: 'Forget this name' })).toBeTruthy();
  });
  test('a moment gets a name by typing one', async () => {
    const asked = show(<Moments lab={lab} />, { 'PUT /api/labs/x1/moments/storm': null }, at);
    await userEvent.click(screen.getByRole('button', { name: 'Name this moment' }));
    await userEvent.type(screen.getByLabelText('Name of the moment'), 'storm{Enter}');
    expect(asked[0]).toMatch(/^PUT \/api\/labs\/x1\/moments\/storm/);
  });
});
