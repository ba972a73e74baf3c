import { expect, test } from 'vitest';
import { foundIn, matches } from './find';

test('all words count, of the text or the device, in any case', () => {
  expect(matches('neighbour halt on e1: Full to Down', 'mill', 'MILL down')).toBe(true);
  expect(matches('neighbour halt on e1: Full to Down', 'mill', 'mill up')).toBe(false);
  expect(matches('anything', 'mill', '  ')).toBe(true);
  const rows = [
    { device: 'mill', events: [{ text: 'SPF', count: 1 }] },
    {
      device: 'halt',
      events: [
        { text: 'SPF', count: 1 },
        { text: '10.1.0.0/16: nothing to e1', count: 2 },
      ],
    },
  ];
  expect(foundIn(rows, 'spf')).toBe(2);
  expect(foundIn(rows, '10.1.0.0/16')).toBe(1);
});
