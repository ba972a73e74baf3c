// @vitest-environment jsdom
import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';
import type { AreaOf, LSA } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { databaseOf } from '../../shared/testing/lists';
import { DatabaseView } from './DatabaseView';

const lsa = (type: string, id: string, more: Partial<LSA> = {}): LSA => ({
  type,
  number: 1,
  id,
  router: '10.255.0.1',
  device: 'mill',
  age: 12,
  sequence: '0x80000003',
  checksum: '0x1234',
  length: 48,
  options: 'E: takes external routes',
  says: 'to halt; 2 stub networks',
  fields: [{ name: 'stub network', value: '10.20.1.0/24, metric 10' }],
  prefixes: ['10.20.1.0/24'],
  missing: [],
  others: [],
  ...more,
});
const areas: (Omit<AreaOf, 'lsas'> & { lsas: LSA[] })[] = [
  {
    area: '0',
    routers: ['mill', 'halt'],
    same: true,
    lsas: [
      lsa('router', '10.255.0.1'),
      lsa('summary', '10.9.0.0', {
        device: 'halt',
        prefixes: ['10.9.0.0/16'],
        says: '10.9.0.0/16, metric 20',
      }),
    ],
  },
  {
    area: '1',
    routers: ['mill', 'ford'],
    same: false,
    lsas: [
      lsa('router', '10.255.0.9', {
        missing: ['ford'],
        others: [{ sequence: '0x80000002', checksum: '0xabcd', age: 90, holders: ['mill'] }],
      }),
    ],
  },
  {
    area: 'outside',
    routers: ['mill'],
    same: true,
    lsas: [lsa('AS external', '172.16.0.0', { prefixes: ['172.16.0.0/16'] })],
  },
];
const answers = { 'GET /api/labs/x1/database': databaseOf(areas) };

describe('the database', () => {
  test('each area once, and that all routers hold the same', async () => {
    show(<DatabaseView />, answers);
    expect(await screen.findByText('2 routers hold the same')).toBeTruthy();
    expect(screen.getByText('to halt; 2 stub networks')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: /Outside/ }));
    expect(await screen.findByText('172.16.0.0')).toBeTruthy();
  });
  test('who holds another copy, and who none', async () => {
    show(<DatabaseView />, answers);
    await userEvent.click(await screen.findByRole('button', { name: /Area 1/ }));
    expect(await screen.findByText('the copies of 2 routers differ')).toBeTruthy();
    expect(screen.getByText('not held by ford')).toBeTruthy();
    expect(screen.getByText('mill hold another copy: sequence 0x80000002, checksum 0xabcd')).toBeTruthy();
  });
  test('an LSA opens to its fields, and leads to the routes by it', async () => {
    show(<DatabaseView />, answers, '/lab/x1/database');
    await userEvent.click(await screen.findByRole('button', { name: 'router', expanded: false }));
    expect(within(screen.getByTestId('fields')).getByText('10.20.1.0/24, metric 10')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: '10.20.1.0/24' }));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/database?to=10.20.1.0/24');
  });
  test('a prefix in focus leaves the LSAs that announce it, a router those it advertises', async () => {
    show(<DatabaseView />, answers, '/lab/x1/database?to=10.9.1.1');
    expect(await screen.findByText('10.9.0.0/16, metric 20')).toBeTruthy();
    expect(screen.queryByText('to halt; 2 stub networks')).toBeNull();
  });
  test('by type', async () => {
    show(<DatabaseView />, answers);
    await userEvent.click(await screen.findByRole('button', { name: 'summary', pressed: false }));
    await vi.waitFor(() => expect(screen.queryByText('to halt; 2 stub networks')).toBeNull());
  });
  test('by words, and saved as it is shown', async () => {
    const asked = show(<DatabaseView />, answers);
    await userEvent.type(await screen.findByLabelText('Find LSAs'), 'metric 20');
    await vi.waitFor(() => expect(screen.queryByText('to halt; 2 stub networks')).toBeNull());
    expect(screen.getByText('10.9.0.0/16, metric 20')).toBeTruthy();
    vi.stubGlobal(
      'URL',
      Object.assign(URL, { createObjectURL: () => 'blob:', revokeObjectURL: () => undefined }),
    );
    vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(() => undefined);
    await userEvent.click(screen.getByRole('button', { name: 'CSV' }));
    await vi.waitFor(() => expect(asked.at(-1)).toMatch(/database\?at=now&find=metric.20$/));
    await userEvent.type(screen.getByLabelText('Find LSAs'), '0');
    expect(await screen.findByText('None of this area has these words.')).toBeTruthy();
  });
  test('no OSPF, no database', async () => {
    show(<DatabaseView />, { 'GET /api/labs/x1/database': databaseOf([]) });
    expect(await screen.findByText('No database')).toBeTruthy();
  });
});
