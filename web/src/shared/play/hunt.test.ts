import { expect, test } from 'vitest';
import type { Hunt, Occurrence } from '../api/client';
import { huntEvents, merged, pathWords } from './hunt';

const hunt: Hunt = {
  prefix: '203.0.113.0/24',
  routers: [
    {
      router: 'skylark',
      bests: [
        { at: 1, asPath: '64500', from: 'halt' },
        { at: 3, asPath: '64497 64500', from: 'gannet' },
        { at: 5, asPath: '', none: true },
      ],
    },
    {
      router: 'halt/ferry',
      bests: [
        { at: 1, asPath: '' },
        { at: 4, asPath: '', from: 'mill' },
      ],
    },
  ],
};

test('each path that a router chooses is an event, in order of time', () => {
  expect(huntEvents(hunt).map((e) => [e.at, e.device, e.text])).toEqual([
    [3, 'skylark', 'best path: 64497 64500 from gannet'],
    [4, 'halt', 'best path: from mill'],
    [5, 'skylark', 'best path: no path'],
  ]);
  expect(hunt.routers[1]?.bests.map(pathWords)).toEqual(['its own path', 'from mill']);
  const other = [{ at: 3.5 }] as Occurrence[];
  expect(merged(other, huntEvents(hunt)).map((e) => e.at)).toEqual([3, 3.5, 4, 5]);
});
