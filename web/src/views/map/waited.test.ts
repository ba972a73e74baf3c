import { expect, test } from 'vitest';
import type { Chain } from '../../shared/api/client';
import { waitedOf } from './waited';

test('packets go from card to card, and what was waited for is numbered where it ended', () => {
  const wait = { then: [], from: 0, line: 0, kind: '' };
  const path = {
    links: [
      { ...wait, device: 'mill', says: 'no hello is heard', took: 37.7, packets: 0, via: [] },
      {
        ...wait,
        device: 'ford',
        says: 'LSAs are flooded over mill, halt, ford',
        took: 0.02,
        packets: 2,
        via: ['mill', 'halt', 'ford'],
      },
      {
        ...wait,
        device: 'ford/ferry',
        says: 'the SPF computation is held back',
        took: 0.05,
        packets: 0,
        via: [],
      },
    ],
  } as unknown as Chain;
  const w = waitedOf(path);
  expect(w.hops).toEqual([
    { from: 'mill', to: 'halt' },
    { from: 'halt', to: 'ford' },
  ]);
  expect([...w.notes]).toEqual([
    ['mill', ['1. 37.7 s: no hello is heard']],
    ['ford', ['2. 0.02 s: LSAs are flooded', '3. 0.05 s: the SPF computation is held back']],
  ]);
});
