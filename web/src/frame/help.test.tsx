// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test } from 'vitest';
import type { Statement } from '../shared/api/client';
import { offerCursor } from '../shared/focus/cursor';
import { show } from '../shared/testing/app';
import GuideView from './guide/GuideView';
import { pages } from './guide/pages';
import { Help } from './Help';
import { find } from './Language';

const statement = (place: string, word: string, more: Partial<Statement> = {}): Statement => ({
  in: place,
  word,
  usage: `${word} NUMBER`,
  help: `says ${word}`,
  change: 'live',
  example: `router mill\n  ${word} 5`,
  ...more,
});
const all = [
  statement('router', 'static', { help: 'a route with a cost' }),
  statement('ospf on a port', 'cost'),
  statement('range', 'cost', { rfc: '2328 12.4' }),
  statement('port', 'mtu'),
];
const language = { statements: all, examples: 'lab "Every statement"\n' };

describe('statements are found', () => {
  test('by a word, those that it names first', () => {
    expect(find(all, 'cost', []).map((s) => `${s.in} ${s.word}`)).toEqual([
      'ospf on a port cost',
      'range cost',
      'router static',
    ]);
    expect(find(all, 'cost 2328', []).map((s) => s.in)).toEqual(['range']);
    expect(find(all, 'nothing', [])).toEqual([]);
  });
  test('by the place, the innermost first', () => {
    expect(find(all, '', ['ospf on a port', 'port']).map((s) => s.word)).toEqual(['cost', 'mtu']);
  });
});

describe('help', () => {
  test('begins with the keys, and has the language beside them', async () => {
    const asked = show(<Help open close={() => undefined} />, {
      'GET /api/language': language,
      'POST /api/labs': { id: 'n1', title: 'Every statement' },
    });
    expect(await screen.findByText('probe and trace')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: 'The language' }));
    expect(await screen.findAllByTestId('statement')).toHaveLength(4);
    await userEvent.type(screen.getByLabelText('Find a statement'), 'mtu');
    expect(screen.getAllByTestId('statement')).toHaveLength(1);
    expect(screen.getByLabelText('Example of mtu').textContent).toBe('router mill\n  mtu 5');
    await userEvent.click(screen.getByRole('button', { name: 'Open the lab of all examples' }));
    expect(await screen.findByText('/lab/n1/text')).toBeTruthy();
    expect(asked.some((a) => a.includes('Every statement'))).toBe(true);
  });
  test('shows the statements of the place where the cursor is', async () => {
    const withdraw = offerCursor(() => ({ text: 'router mill\n  ', line: 2, column: 3 }));
    const asked = show(<Help open close={() => undefined} />, {
      'GET /api/language': language,
      'POST /api/text/complete': { from: 3, suggestions: [], in: ['router'] },
    });
    expect(await screen.findByText('Where the cursor is: router')).toBeTruthy();
    expect(asked.some((a) => a.includes('"line":2,"column":3'))).toBe(true);
    expect(screen.getAllByTestId('statement').map((s) => s.textContent)[0]).toContain('static NUMBER');
    await userEvent.click(screen.getByText('Where the cursor is: router'));
    expect(screen.getAllByTestId('statement')).toHaveLength(4);
    withdraw();
  });
});

describe('the guide', () => {
  test('has a page for each job, and opens the labs that it names', async () => {
    expect(pages.length).toBeGreaterThanOrEqual(14);
    const lab = { id: 'd1', title: 'Ten minutes on the line', lesson: 1 };
    show(<GuideView />, { 'GET /api/labs': [lab] }, '/');
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('Ten minutes through the workbench');
    expect(screen.getAllByRole('link').map((l) => l.textContent)).toContain('The lab language');
    expect((await screen.findByRole('link', { name: lab.title })).getAttribute('href')).toBe('/lab/d1/map');
    expect(screen.getByText('connect viaduct quarry').tagName).toBe('CODE');
  });
});
