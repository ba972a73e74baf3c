import { expect, test } from 'vitest';
import type { Take } from '../../shared/api/client';
import { takeRows } from './Takes';

test('what crosses, and what does not, as a table', () => {
  const take: Take = {
    device: 'junction',
    from: 'ferry',
    to: 'main',
    policy: 'from-ferry',
    crosses: 1,
    routes: [
      { prefix: '10.72.0.0/16', source: 'bgp', verdict: 'crosses', why: 'it is let through', tag: 72 },
      { prefix: '10.73.0.0/16', source: 'bgp', verdict: 'refused', why: 'nothing accepts it', tag: 0 },
    ],
  };
  expect(takeRows([take]).slice(1)).toEqual([
    ['junction', 'ferry', 'main', 'from-ferry', '10.72.0.0/16', 'bgp', 'crosses', 72, 'it is let through'],
    ['junction', 'ferry', 'main', 'from-ferry', '10.73.0.0/16', 'bgp', 'refused', 0, 'nothing accepts it'],
  ]);
});
