// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { expect, test } from 'vitest';
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
