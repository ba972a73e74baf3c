import { expect, test } from 'vitest';
import type { CriticalPlace, MapData } from '../../shared/api/client';
import { criticalOf } from './critical';

const place = (
  kind: CriticalPlace['kind'],
  places: string[],
  harm: CriticalPlace['harm'] = 'for good',
): CriticalPlace => ({
  kind,
  places,
  harm,
  name: kind,
  says: '',
});

const map = {
  devices: [],
  links: [
    {
      id: 'l1',
      kind: 'link',
      ends: [
        { device: 'halt', port: 'e1' },
        { device: 'kiosk', port: 'nic' },
      ],
    },
    {
      id: 's1',
      kind: 'segment',
      name: 'yard',
      ends: [
        { device: 'halt', port: 'e2' },
        { device: 'mill', port: 'e1' },
      ],
    },
  ],
} as unknown as MapData;

test('what fails is found on the map by its ports', () => {
  const found = criticalOf(map, [
    place('router', ['halt']),
    place('link', ['kiosk', 'halt.e1'], 'none'),
    place('segment', ['mill.e1', 'halt.e2'], 'for a time'),
    place('link', ['gone.e1', 'halt.e9']),
  ]);
  expect([...found].map(([id, p]) => [id, p.harm])).toEqual([
    ['halt', 'for good'],
    ['l1', 'none'],
    ['segment:yard', 'for a time'],
  ]);
});
