import { expect, test } from 'vitest';
import type { ActionDetail, Chain, FlowOutages, MapLink } from '../../shared/api/client';
import { lanesOf, orderOf } from './lanes';
import { placed, under } from './Marks';

const event = (at: number, lane: string, text: string) => ({ at, lane, text, count: 1 });
const rows = [
  { device: 'quay', events: [event(60, 'detection', 'port down'), event(60.2, 'spf', 'SPF')] },
  { device: 'r10', events: [event(60.1, 'flooding', 'received')] },
  { device: 'r9', events: [event(60.15, 'flooding', 'received')] },
] as ActionDetail['rows'];
const flow = (name: string, outages: unknown[], paths: unknown[]) =>
  ({ name, from: 'gate', to: 'desk', outages, looped: [], paths }) as unknown as FlowOutages;
const flows = [
  flow(
    'tickets',
    [{ from: 60, to: 60.3, cause: 'cut' }],
    [
      { from: 59, devices: ['gate', 'quay', 'desk'] },
      { from: 60.3, devices: ['gate', 'r9', 'desk'] },
    ],
  ),
  flow('post', [], [{ from: 59, devices: ['gate', 'desk'] }]),
];
const names = (by: 'device' | 'protocol' | 'flow', order: string[] = []) =>
  lanesOf(rows, flows, 60, by, order).map((l) => l.name);

test('rows stand for devices, protocols or flows; flows that were out are below', () => {
  expect(names('device')).toEqual(['quay', 'r10', 'r9', 'tickets']);
  expect(names('device', ['r9'])).toEqual(['r9', 'quay', 'r10', 'tickets']);
  expect(names('protocol')).toEqual(['ports', 'LSAs', 'SPF', 'tickets']);
  expect(lanesOf(rows, flows, 60, 'protocol', [])[1]?.events.map((e) => e.device)).toEqual(['r10', 'r9']);
  const byFlow = lanesOf(rows, flows, 60, 'flow', []);
  expect(byFlow.map((l) => [l.name, l.events.map((e) => e.text)])).toEqual([
    ['tickets', ['past r9']],
    ['post', []],
  ]);
});

test('devices in the order of the links, of what was waited for, of their names', () => {
  const links = [
    { ends: [{ device: 'quay' }, { device: 'r9' }] },
    { ends: [{ device: 'r9' }, { device: 'r10' }] },
  ] as MapLink[];
  const path = {
    links: [
      { device: 'r10', via: [] },
      { device: 'quay', via: ['r10.e1', 'r9.e2', 'quay.e1'] },
    ],
  } as unknown as Chain;
  expect(orderOf('first', rows, links, path)).toEqual([]);
  expect(orderOf('near', rows, links, path)).toEqual(['quay', 'r9', 'r10']);
  expect(orderOf('path', rows, links, path)).toEqual(['r10', 'r9', 'quay']);
  expect(orderOf('name', rows, links, path)).toEqual(['quay', 'r9', 'r10']);
});

test('ten thousand events of one place are few marks; the pointer reads the nearest', () => {
  const many = [
    {
      name: 'quay',
      device: 'quay',
      events: Array.from({ length: 10_000 }, (_, i) => ({
        ...event(i / 10_000, 'flooding', `LSA ${i}`),
        device: 'quay',
      })),
    },
  ] as Parameters<typeof placed>[0];
  const marks = placed(
    many,
    () => true,
    (t) => t * 700,
    '',
  );
  expect(marks.length).toBeLessThan(1500);
  expect(under(marks, 0, 350)?.event.at).toBeCloseTo(0.5, 2);
  expect(under(marks, 1, 350)).toBeUndefined();
  // What is looked for is not hidden by what is not.
  expect(
    placed(
      many,
      () => true,
      (t) => t * 700,
      'LSA 5001',
    ).filter((m) => !m.faint).length,
  ).toBe(1);
});
