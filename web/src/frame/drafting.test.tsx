// @vitest-environment jsdom
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { useState } from 'react';
import { expect, test, vi } from 'vitest';
import type { LabState } from '../shared/api/client';
import { useDrafting, useHands } from '../shared/draft/drafting';
import { show as render } from '../shared/testing/app';
import { DraftProvider } from './DraftProvider';

const lab = { id: 'x1', text: 'router mill\n', textSeq: 1, actions: [], moments: [] } as unknown as LabState;

test('what only writes the draft is not drawn anew when the draft changes', async () => {
  let drawn = 0;
  function Writer() {
    const { write, undo, text } = useHands();
    drawn++;
    return (
      <>
        <button onClick={() => write(`${text()}router quarry\n`)}>write</button>
        <button onClick={undo}>undo</button>
      </>
    );
  }
  const Reader = () => <pre data-testid="text">{useDrafting().draft.text}</pre>;
  render(
    <DraftProvider id="x1" lab={lab} past={false}>
      <Writer />
      <Reader />
    </DraftProvider>,
    {
      'GET /api/labs/x1/drafts': [],
      'POST /api/labs/x1/check': { ok: true, problems: [], lines: [], touched: [], changes: [] },
    },
  );
  const before = drawn;
  await userEvent.click(screen.getByText('write'));
  await userEvent.click(screen.getByText('write'));
  expect(screen.getByTestId('text').textContent).toBe('router mill\nrouter quarry\nrouter quarry\n');
  await userEvent.click(screen.getByText('undo'));
  expect(screen.getByTestId('text').textContent).toBe('router mill\nrouter quarry\n');
  expect(drawn).toBe(before);
});

test('a preview is made anew when an action changes the network below it', async () => {
  const preview = { id: 'p1', settles: true, summary: [], flows: [], checks: [], sections: [], stages: [] };
  const answers = {
    'GET /api/labs/x2/drafts': [],
    'POST /api/labs/x2/check': { ok: true, problems: [], lines: [], touched: [], changes: [] },
    'POST /api/labs/x2/preview': preview,
  };
  function Writer() {
    const { write, text } = useHands();
    const { effect } = useDrafting();
    return (
      <>
        <button onClick={() => write(`${text()}router quarry\n`)}>write</button>
        <output>{effect.fresh ? 'fresh' : 'stale'}</output>
        <p>{effect.overtaken}</p>
      </>
    );
  }
  function Lab() {
    const [actions, setActions] = useState(1);
    const now = {
      ...lab,
      id: 'x2',
      actions: Array.from({ length: actions }, () => ({ action: 'cut mill.e1' })),
    } as unknown as LabState;
    return (
      <>
        <button onClick={() => setActions(2)}>cut</button>
        <DraftProvider id="x2" lab={now} past={false}>
          <Writer />
        </DraftProvider>
      </>
    );
  }
  const asked = render(<Lab />, answers, '/lab/x2/map');
  const previews = () => asked.filter((a) => a.startsWith('POST /api/labs/x2/preview')).length;
  await userEvent.click(screen.getByText('write'));
  expect(await screen.findByText('fresh')).toBeTruthy();
  expect(previews()).toBe(1);
  await userEvent.click(screen.getByText('cut'));
  await waitFor(() => expect(previews()).toBe(2));
  expect(await screen.findByText('fresh')).toBeTruthy();
  expect(screen.getByText(/moved on since the preview was made \(cut mill.e1\)/)).toBeTruthy();
});

test('what is typed while an edit is on its way stays', async () => {
  const open: (() => void)[] = [];
  const sent: string[] = [];
  function Writer() {
    const { change, edit, draft } = useDrafting();
    return (
      <>
        <button onClick={() => void edit('mill.e1 ospf cost 7')}>edit</button>
        <button onClick={() => change(`${draft.text}router quarry\n`)}>type</button>
        <output data-testid="text">{draft.text}</output>
      </>
    );
  }
  render(
    <DraftProvider id="x3" lab={{ ...lab, id: 'x3' }} past={false}>
      <Writer />
    </DraftProvider>,
    {
      'GET /api/labs/x3/drafts': [],
      'POST /api/labs/x3/check': { ok: true, problems: [], lines: [], touched: [], changes: [] },
    },
    '/lab/x3/map',
  );
  const other = globalThis.fetch;
  vi.stubGlobal('fetch', async (request: Request) => {
    if (!request.url.endsWith('/api/text/edit')) return other(request);
    const { text } = (await request.json()) as { text: string };
    sent.push(text);
    await new Promise<void>((done) => open.push(done));
    return Response.json({ text: `${text}# cost 7\n`, lines: [] });
  });
  await userEvent.click(screen.getByText('edit'));
  await waitFor(() => expect(open).toHaveLength(1));
  await userEvent.click(screen.getByText('type'));
  open[0]?.();
  await waitFor(() => expect(open).toHaveLength(2));
  open[1]?.();
  await waitFor(() =>
    expect(screen.getByTestId('text').textContent).toBe('router mill\nrouter quarry\n# cost 7\n'),
  );
  expect(sent).toHaveLength(2);
});
