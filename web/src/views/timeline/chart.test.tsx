// @vitest-environment jsdom
import { fireEvent, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { expect, test, vi } from 'vitest';
import type { ActionDetail } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { Chart } from './Chart';

const event = (at: number, text: string) => ({ at, lane: 'flooding', text, count: 1 });
const detail = {
  seq: 2,
  action: 'cut mill.e1',
  summary: 'converged',
  start: 60,
  end: 70,
  flows: [],
  merged: 0,
  rows: [{ device: 'mill', events: Array.from({ length: 11 }, (_, i) => event(60 + i, `event ${i}.`)) }],
} as unknown as ActionDetail;
const drawn = () => Number(screen.getByTestId('marks').dataset.drawn);
/** What the pointer reads at a place of the first row. */
const read = (x: number) => {
  const at = new MouseEvent('pointermove', { bubbles: true });
  Object.defineProperties(at, { offsetX: { value: x }, offsetY: { value: 20 } });
  fireEvent(screen.getByRole('img'), at);
  return screen.queryByRole('tooltip')?.textContent ?? '';
};
const readable = (words: string) => [...Array(680).keys()].some((x) => read(116 + x).includes(words));
const page = () => {
  Element.prototype.hasPointerCapture = () => false;
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe = vi.fn();
      disconnect = vi.fn();
    },
  );
};

test('zooms by button and key around the moment in focus, and back to all', async () => {
  page();
  show(
    <Chart detail={detail} at={65} drag={vi.fn()} device="" choose={vi.fn()} maxRows={10} />,
    {},
    '/lab/x1/timeline',
  );
  expect(drawn()).toBe(11);
  expect(screen.queryByRole('button', { name: 'The whole action' })).toBeNull();
  await userEvent.click(screen.getByRole('button', { name: 'Zoom in' }));
  await userEvent.click(screen.getByRole('button', { name: 'Zoom in' }));
  expect(readable('event 5.')).toBe(true);
  expect(read(10)).toBe('');
  expect(drawn()).toBeLessThan(5);
  for (let i = 0; i < 8; i++) fireEvent.keyDown(screen.getByRole('img'), { key: 'ArrowLeft' });
  expect(readable('event 0.')).toBe(true);
  expect(screen.getByText('cut mill.e1')).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'The whole action' }));
  expect(drawn()).toBe(11);
});

test('asks for the events of what is seen where they share marks, and says that they do', async () => {
  page();
  const asked = show(
    <Chart
      detail={{ ...detail, merged: 4000 }}
      at={65}
      drag={vi.fn()}
      device=""
      choose={vi.fn()}
      maxRows={10}
    />,
    {
      'GET /api/labs/x1/actions/2': {
        ...detail,
        rows: [
          { device: 'mill', events: Array.from({ length: 40 }, (_, i) => event(64 + i / 20, `close ${i}.`)) },
        ],
      },
    },
    '/lab/x1/timeline',
  );
  expect(screen.getByTestId('shared-marks').textContent).toContain('4000 events share the mark');
  expect(asked).toEqual([]);
  await userEvent.click(screen.getByRole('button', { name: 'Zoom in' }));
  await userEvent.click(screen.getByRole('button', { name: 'Zoom in' }));
  await vi.waitFor(() => expect(drawn()).toBe(40));
  expect(screen.queryByTestId('shared-marks')).toBeNull();
  expect(asked.at(-1)).toMatch(/^GET \/api\/labs\/x1\/actions\/2\?from=6\d\.\d+&to=6\d\.\d+&find=$/);
});

test('moments that have a name are drawn where they are, and a click goes there', () => {
  page();
  const go = vi.fn();
  show(
    <Chart
      detail={detail}
      at={undefined}
      drag={go}
      device=""
      choose={vi.fn()}
      maxRows={10}
      moments={[
        { name: 'calm', at: 66 },
        { name: 'calmer', at: 66.01 },
        { name: 'elsewhere', at: 99 },
      ]}
    />,
    {},
    '/lab/x1/timeline',
  );
  // Two that would overlap: one of them has its name as a title only.
  expect([...screen.getByTestId('named-moments').querySelectorAll('text')].map((t) => t.textContent)).toEqual(
    ['calm'],
  );
  const second = screen.getByText('calmer');
  fireEvent.pointerDown(second);
  expect(go).toHaveBeenCalledExactlyOnceWith(66.01);
});
