// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { expect, test, vi } from 'vitest';
import type { Summary } from '../../shared/api/client';
import { problem, show } from '../../shared/testing/app';
import { SummaryHelper } from './SummaryHelper';

const summary: Summary = {
  prefix: '10.1.0.0/22',
  common: 22,
  rows: [
    { prefix: '10.1.1.0/24', bits: '00001010000000010000000100000000', length: 24 },
    { prefix: '10.1.2.0/24', bits: '00001010000000010000001000000000', length: 24 },
  ],
  also: [{ prefix: '10.1.3.0/24', where: 'area 2' }],
  gaps: ['10.1.0.0/24'],
  free: 0.25,
  lines: ['  ospf', '    area 1', '      range 10.1.0.0/22'],
  on: ['upper', 'lower'],
  has: ['upper'],
  fixes: [{ edits: ['lower ospf area 1 range 10.1.0.0/22'] }],
  says: 'on every border router of area 1',
};
const helper = (close = () => {}) => (
  <SummaryHelper id="x1" when="now" prefixes={['10.1.1.0/24', '10.1.2.0/24']} area="" close={close} />
);

test('one prefix, what it covers beside the chosen, and the lines to paste', async () => {
  const asked = show(helper(), { 'GET /api/labs/x1/summary': summary });
  expect(await screen.findByText('10.1.0.0/22')).toBeTruthy();
  expect(asked[0]).toContain('prefixes=10.1.1.0/24,10.1.2.0/24');
  expect(screen.getByText(/22 leading bits in common/)).toBeTruthy();
  expect(screen.getByText('10.1.3.0/24')).toBeTruthy();
  expect(screen.getByText(/25 % of its addresses are in no network/)).toBeTruthy();
  expect(screen.getAllByText(/range 10.1.0.0\/22/)[0]?.textContent).toBe(
    '  ospf\n    area 1\n      range 10.1.0.0/22',
  );
  expect(screen.getByText(/upper, lower/)).toBeTruthy();
  expect(screen.getByText('upper has it already.')).toBeTruthy();
  expect(screen.getByTestId('fixes').textContent).toContain('lower ospf area 1 range 10.1.0.0/22');
});

test('the lines are copied as they are pasted', async () => {
  const user = userEvent.setup();
  const write = vi.spyOn(navigator.clipboard, 'writeText');
  show(helper(), { 'GET /api/labs/x1/summary': summary });
  await user.click(await screen.findByRole('button', { name: 'Copy' }));
  expect(write).toHaveBeenCalledWith('  ospf\n    area 1\n      range 10.1.0.0/22\n');
});

test('what cannot be joined says why, and it can be closed', async () => {
  const close = vi.fn();
  show(helper(close), { 'GET /api/labs/x1/summary': problem(422, 'choose prefixes, or an area') });
  expect(await screen.findByText('choose prefixes, or an area')).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'close' }));
  expect(close).toHaveBeenCalledOnce();
});
