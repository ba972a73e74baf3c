// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, test } from 'vitest';
import type { Comparison, Difference } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { ComparisonView } from './ComparisonView';
import { inFocus, sectionsFor, tone } from './rows';

const row = (more: Partial<Difference>): Difference => ({
  section: 'routes',
  kind: 'moved',
  device: 'mill',
  subject: '10.20.0.0/16',
  before: 'ospf, cost 10, by 10.0.12.2 on e1',
  after: 'ospf, cost 40, by 10.0.13.2 on e2',
  weight: 'different',
  ...more,
});
const comparison = (rows: Difference[], more: Partial<Comparison> = {}): Comparison => ({
  summary: rows.length === 0 ? [] : ['1 route moved to another path'],
  same: rows.length === 0,
  devices: rows.map((r) => r.device),
  of: 4,
  sections: [
    { name: 'flows', rows: [], total: 0, same: 2, says: 'all 2 flows as before' },
    { name: 'routes', rows, total: rows.length, same: 9, says: '9 of 10 routes unchanged' },
  ],
  ...more,
});
const at = '/lab/x1/routes?when=before-2..now';
const answer = (c: Comparison) => ({ 'GET /api/labs/x1/comparison': c });

// The list is as tall as its box, which jsdom does not lay out.
beforeEach(() => {
  Object.defineProperty(HTMLElement.prototype, 'offsetHeight', { value: 600, configurable: true });
  Object.defineProperty(HTMLElement.prototype, 'offsetWidth', { value: 900, configurable: true });
});

describe('a comparison of two moments', () => {
  test('asks for both, and shows only what is different, with one line for the rest', async () => {
    const asked = show(<ComparisonView view="routes" />, answer(comparison([row({})])), at);
    expect(await screen.findByText('1 route moved to another path')).toBeTruthy();
    expect(asked).toEqual(['GET /api/labs/x1/comparison?before=before-2&after=now']);
    expect(screen.getByTestId('unchanged').textContent).toBe(
      '9 of 10 routes unchanged; 3 of 4 devices unchanged',
    );
  });
  test('says so when nothing is different', async () => {
    show(<ComparisonView view="routes" />, answer(comparison([])), at);
    expect(await screen.findByText('Nothing is different here')).toBeTruthy();
    expect(screen.getByText('Nothing is different.')).toBeTruthy();
  });
  test('keeps to the focus', async () => {
    show(<ComparisonView view="routes" />, answer(comparison([row({})])), `${at}&who=halt`);
    expect(await screen.findByText('Nothing of that is in focus')).toBeTruthy();
  });
  test('can be kept to what came, went, moved or changed', async () => {
    const rows = [row({}), row({ kind: 'went', subject: '10.30.0.0/16', after: '' })];
    show(<ComparisonView view="routes" />, answer(comparison(rows)), at);
    await userEvent.click(await screen.findByRole('button', { name: 'went' }));
    expect(screen.getByRole('button', { name: 'went' }).getAttribute('aria-pressed')).toBe('true');
  });
});

describe('a difference', () => {
  const focus = { who: '', to: '', when: 'now', since: 'before-2' };
  test('is in focus by its device, its peer or its prefix', () => {
    expect(inFocus(row({}), focus)).toBe(true);
    expect(inFocus(row({}), { ...focus, who: 'mill.e1' })).toBe(true);
    expect(inFocus(row({ other: 'halt' }), { ...focus, who: 'halt' })).toBe(true);
    expect(inFocus(row({}), { ...focus, who: 'halt' })).toBe(false);
    expect(inFocus(row({}), { ...focus, to: '10.20.0.0/16' })).toBe(true);
    expect(inFocus(row({}), { ...focus, to: '10.99.0.0/16' })).toBe(false);
    expect(inFocus(row({ section: 'flows', subject: 'coal' }), { ...focus, to: 'flow coal' })).toBe(true);
    expect(inFocus(row({ section: 'flows', subject: 'coal' }), { ...focus, to: 'flow ore' })).toBe(false);
  });
  test('has a colour for better and worse, beside the word', () => {
    expect([row({ weight: 'worse' }), row({ weight: 'better' }), row({})].map(tone)).toEqual([
      'brick',
      'leaf',
      'ochre',
    ]);
  });
  test('belongs to a view', () => {
    expect(sectionsFor(comparison([row({})]), 'routes').map((s) => s.name)).toEqual(['routes']);
    expect(sectionsFor(comparison([row({})]), 'map').map((s) => s.name)).toEqual(['flows']);
    expect(sectionsFor(comparison([row({})]), 'messages')).toEqual([]);
  });
});
