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
  rows: [{ device: 'mill', events: Array.from({ length: 11 }, (_, i) => event(60 + i, `event ${i}.`)) }],
} as unknown as ActionDetail;
const drawn = () => [...document.querySelectorAll('svg[role=img] circle title')].map((t) => t.textContent);

test('zooms by button and key around the moment in focus, and back to all', async () => {
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe = vi.fn();
      disconnect = vi.fn();
    },
  );
  show(
    <Chart detail={detail} at={65} drag={vi.fn()} device="" choose={vi.fn()} maxRows={10} />,
    {},
    '/lab/x1/timeline',
  );
  expect(drawn()).toHaveLength(11);
  expect(screen.queryByRole('button', { name: 'The whole action' })).toBeNull();
  await userEvent.click(screen.getByRole('button', { name: 'Zoom in' }));
  await userEvent.click(screen.getByRole('button', { name: 'Zoom in' }));
  expect(drawn().join()).toContain('event 5.');
  expect(drawn().length).toBeLessThan(5);
  for (let i = 0; i < 8; i++) fireEvent.keyDown(screen.getByRole('img'), { key: 'ArrowLeft' });
  expect(drawn().join()).toContain('event 0.');
  expect(screen.getByText('cut mill.e1')).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'The whole action' }));
  expect(drawn()).toHaveLength(11);
});
