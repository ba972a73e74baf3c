// @vitest-environment jsdom
import { cleanup, fireEvent, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test } from 'vitest';
import type { LabRow } from '../../shared/api/client';
import { problem, show } from '../../shared/testing/app';
import { copyOf } from './title';
import { LabsPage } from './LabsPage';
import { placesOf } from './SmallMap';

const row = (id: string, title: string, more: Partial<LabRow> = {}): LabRow => ({
  id,
  title,
  demo: false,
  lesson: 0,
  topics: [],
  routers: 0,
  hosts: 0,
  links: 0,
  tasks: 0,
  actions: 1,
  created: '2026-01-02T10:00:00Z',
  updated: '2026-01-02T10:00:00Z',
  ...more,
});

describe('the list of labs', () => {
  test('leads to each of them', async () => {
    show(
      <LabsPage />,
      {
        'GET /api/labs': [
          row('a1', 'First triangle', {
            demo: true,
            lesson: 2,
            about: 'three stations',
            difficulty: 'easy',
            topics: ['OSPF'],
            routers: 3,
            hosts: 1,
            tasks: 2,
          }),
          row('b2', 'Fork', { forkOf: 'a1', actions: 4 }),
        ],
      },
      '/',
    );
    expect((await screen.findByRole('link', { name: 'First triangle' })).getAttribute('href')).toBe(
      '/lab/a1/map',
    );
    expect(screen.getByText('three stations')).toBeTruthy();
    expect(screen.getByText('3 routers, 1 host · OSPF')).toBeTruthy();
    expect(screen.getByText('2 tasks · not begun')).toBeTruthy();
    expect(screen.getByText(/fork · 4 actions, changed/)).toBeTruthy();
  });
  test('deletes only after it was asked', async () => {
    const asked = show(
      <LabsPage />,
      { 'GET /api/labs': [row('a1', 'Mine')], 'DELETE /api/labs/a1': {} },
      '/',
    );
    await userEvent.click(await screen.findByRole('button', { name: 'Delete Mine' }));
    expect(screen.getByText('Delete it with its history?')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: 'Keep' }));
    expect(asked.some((a) => a.startsWith('DELETE'))).toBe(false);
    await userEvent.click(screen.getByRole('button', { name: 'Delete Mine' }));
    await userEvent.click(screen.getByRole('button', { name: 'Delete' }));
    expect(asked).toContain('DELETE /api/labs/a1');
  });
  test('a new lab opens at its text', async () => {
    const asked = show(<LabsPage />, { 'GET /api/labs': [], 'POST /api/labs': row('n3', 'New lab') }, '/');
    await userEvent.click(await screen.findByRole('button', { name: 'New lab' }));
    expect(await screen.findByText('/lab/n3/text')).toBeTruthy();
    expect(asked.find((a) => a.startsWith('POST'))).toContain('router depot');
  });
  test('a text with errors is refused with all of them, and an opened file is sent as it is', async () => {
    const asked = show(
      <LabsPage />,
      {
        'GET /api/labs': [],
        'POST /api/labs': problem(422, 'the text has 2 errors, nothing was applied', [
          { message: '1:1: router needs its name; write router NAME' },
          { message: '2:3: unknown word prot; did you mean port?' },
        ]),
      },
      '/',
    );
    await userEvent.upload(
      await screen.findByLabelText('Open a lab text or a bundle'),
      new File(['router\n  prot\n'], 'x.lab', { type: 'text/plain' }),
    );
    const alert = await screen.findByRole('alert');
    expect(alert.textContent).toContain('1:1: router needs its name');
    expect(alert.textContent).toContain('2:3: unknown word prot');
    expect(asked.find((a) => a.startsWith('POST'))).toContain(JSON.stringify('router\n  prot\n'));
  });
  test('finds a lab by its name, among many', async () => {
    const many = ['Yard', 'Pass', 'Ring', 'Ferry', 'Mine', 'Pier'].map((t, i) => row(`l${i}`, t));
    show(<LabsPage />, { 'GET /api/labs': many }, '/');
    await userEvent.type(await screen.findByLabelText('Find a lab'), 'pi');
    expect(screen.getAllByRole('link').map((l) => l.textContent)).toEqual([
      'Guide',
      'About this server',
      'Pier',
      'Bundle',
    ]);
    await userEvent.type(screen.getByLabelText('Find a lab'), 'x');
    expect(screen.getByText('No lab has that in its name, its topics or what it is about.')).toBeTruthy();
  });
  test('shows where to begin, until something was done', async () => {
    const demos = [row('d1', 'Ten', { demo: true, lesson: 1 }), row('d2', 'Two', { demo: true, lesson: 2 })];
    show(<LabsPage />, { 'GET /api/labs': demos }, '/');
    expect((await screen.findByText('begin here')).closest('li')?.textContent).toContain('Ten');
    cleanup();
    show(<LabsPage />, { 'GET /api/labs': [demos[0], { ...demos[1], actions: 3 }] }, '/');
    await screen.findByRole('link', { name: 'Ten' });
    expect(screen.queryByText('begin here')).toBeNull();
  });
  test('a lab is renamed in its text', async () => {
    const asked = show(
      <LabsPage />,
      {
        'GET /api/labs': [row('a1', 'Yard')],
        'GET /api/labs/a1': { text: '# top\nlab "Yard"\nrouter mill\n', textSeq: 3 },
        'POST /api/labs/a1/actions': {},
      },
      '/',
    );
    await userEvent.click(await screen.findByRole('button', { name: 'Rename Yard' }));
    const field = screen.getByLabelText('New title');
    expect(screen.getByRole('button', { name: 'Rename' }).hasAttribute('disabled')).toBe(true);
    await userEvent.clear(field);
    await userEvent.type(field, 'The "old" yard{Enter}');
    const sent = asked.find((a) => a.startsWith('POST')) ?? '';
    expect(sent).toContain(JSON.stringify('# top\nlab "The \'old\' yard"\nrouter mill\n'));
    expect(sent).toContain('"base":3');
  });
  test('a demo goes back to its original once that was confirmed, and only if it was changed', async () => {
    const demo = { demo: true, lesson: 1 };
    const asked = show(
      <LabsPage />,
      {
        'GET /api/labs': [
          row('d1', 'Ten', { ...demo, actions: 5 }),
          row('d2', 'Two', { ...demo, lesson: 2 }),
          row('o3', 'Own'),
        ],
        'POST /api/labs/d1/reset': {},
      },
      '/',
    );
    await userEvent.click(await screen.findByRole('button', { name: 'Reset Ten' }));
    expect(screen.queryByRole('button', { name: 'Reset Two' })).toBeNull();
    expect(screen.queryByRole('button', { name: 'Reset Own' })).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: 'Reset' }));
    expect(asked).toContain('POST /api/labs/d1/reset');
  });
  test('a small map shows every point within its picture', () => {
    const map = {
      nodes: [
        { name: 'a', kind: 'router' as const },
        { name: 'b', kind: 'router' as const },
        { name: 'yard', kind: 'segment' as const },
        { name: 'c', kind: 'host' as const },
      ],
      edges: [
        [0, 1],
        [1, 2],
        [2, 3],
      ],
    };
    for (const p of [
      ...placesOf(map),
      ...placesOf({ nodes: [{ name: 'a', kind: 'router', x: 900, y: -40 }], edges: [] }),
    ]) {
      expect(p.x).toBeGreaterThan(0);
      expect(p.x).toBeLessThan(132);
      expect(p.y).toBeGreaterThan(0);
      expect(p.y).toBeLessThan(84);
    }
  });
  test('a copy has the same text and its own title', async () => {
    const asked = show(
      <LabsPage />,
      {
        'GET /api/labs': [row('a1', 'Yard')],
        'GET /api/labs/a1': { text: 'lab "Yard"\n\nrouter mill\n' },
        'POST /api/labs': row('n4', 'Yard, copy'),
      },
      '/',
    );
    await userEvent.click(await screen.findByRole('button', { name: 'Copy Yard' }));
    expect(await screen.findByText('/lab/n4/map')).toBeTruthy();
    expect(asked.find((a) => a.startsWith('POST'))).toContain(
      JSON.stringify('lab "Yard, copy"\n\nrouter mill\n'),
    );
    expect(copyOf('router mill\n')).toBe('lab "Copy"\n\nrouter mill\n');
  });
  test('a file that is dropped is opened', async () => {
    const asked = show(<LabsPage />, { 'GET /api/labs': [], 'POST /api/labs': row('n5', 'Dropped') }, '/');
    const page = await screen.findByTestId('labs-page');
    fireEvent.drop(page, { dataTransfer: { files: [new File(['router halt\n'], 'x.lab')] } });
    expect(await screen.findByText('/lab/n5/text')).toBeTruthy();
    expect(asked.find((a) => a.startsWith('POST'))).toContain('router halt');
  });
  test('says when there is none, and when the server is gone', async () => {
    show(<LabsPage />, { 'GET /api/labs': [] }, '/');
    expect(await screen.findByText('There is no lab yet.')).toBeTruthy();
  });
  test('the server is gone', async () => {
    show(<LabsPage />, {}, '/');
    expect((await screen.findByRole('alert')).textContent).toContain(
      'The server does not answer. Nothing is lost',
    );
    expect(screen.getByRole('button', { name: 'Try again' })).toBeTruthy();
  });
});
