import { expect, test } from 'vitest';
import type { Chain, Wait } from '../../shared/api/client';
import { jointsOf } from './chain';

const wait = (more: Partial<Wait>): Wait => ({
  kind: 'spf-delay',
  from: 0,
  took: 1,
  device: 'mill',
  via: [],
  packets: 0,
  says: '',
  then: [],
  line: 0,
  ...more,
});

test('a critical path stays in a row while it waits, and goes from row to row with its packets', () => {
  const links = [
    wait({ device: 'mill/ferry', took: 4 }),
    wait({ from: 4, took: 2, device: 'weir', via: ['mill', 'halt', 'weir'], packets: 2 }),
    wait({ from: 6, took: 3, device: 'weir' }),
  ];
  const path = { start: 60, links } as unknown as Chain;
  expect(jointsOf(path)).toEqual([
    { device: 'mill', at: 60 },
    { device: 'mill', at: 64 },
    { device: 'halt', at: 65 },
    { device: 'weir', at: 66 },
    { device: 'weir', at: 69 },
  ]);
});
