// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Neighbour } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { Ladder } from './Ladder';

const n = { a: { device: 'mill', port: 'e1' }, b: { device: 'halt', port: 'e1' } } as unknown as Neighbour;

test('the states that each end saw, with how long each took and why', async () => {
  const asked = show(<Ladder id="x1" when="now" n={n} />, {
    'GET /api/labs/x1/ladder': {
      a: {
        device: 'mill',
        port: 'e1',
        falls: 1,
        rungs: [
          { at: 1, state: 'Init', took: 0 },
          { at: 1.002, state: 'ExStart', took: 0.002 },
          { at: 41, state: 'Down', took: 39.998, because: 'no hello arrived for a router dead interval' },
        ],
      },
      b: { device: 'halt', port: 'e1', falls: 0, rungs: [] },
    },
  });
  expect(await screen.findByText('ExStart')).toBeTruthy();
  expect(asked[0]).toContain('a=mill.e1&b=halt.e1');
  expect(screen.getByText(/came down from Full 1 time/)).toBeTruthy();
  expect(screen.getByText('0.002 s')).toBeTruthy();
  expect(screen.getByText('no hello arrived for a router dead interval')).toBeTruthy();
  expect(screen.getByText('has not heard of it')).toBeTruthy();
});
