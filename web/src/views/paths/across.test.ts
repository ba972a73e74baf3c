import { describe, expect, test } from 'vitest';
import type { Borders, Crossing } from '../../shared/api/client';
import { across } from './across';

const crossing = (path: string, more: Partial<Crossing> = {}): Crossing => ({
  path,
  sessions: 1,
  of: 1,
  state: 'sent',
  by: ['mill'],
  ...more,
});
const borders = (neighbours: number[], rows: [string, (Crossing | undefined)[]][]): Borders => ({
  as: 64500,
  ases: [64500],
  omitted: 0,
  neighbours: neighbours.map((as) => ({ as, name: `n${as}`, sessions: [] })),
  rows: rows.map(([prefix, sent]) => ({ prefix, cells: sent.map((s) => (s ? { sent: s } : {})) })),
});

describe('the matrix of two moments', () => {
  const before = borders(
    [64496, 64497],
    [
      ['10.1.0.0/16', [crossing('64500'), crossing('64500 64500')]],
      ['10.9.0.0/16', [undefined, crossing('64500')]],
    ],
  );
  const now = borders(
    [64496, 64510],
    [
      ['10.1.0.0/16', [crossing('64500'), crossing('64500')]],
      ['10.2.0.0/16', [crossing('64500'), undefined]],
    ],
  );
  test('has every neighbour AS and prefix of either', () => {
    const a = across(now, before);
    expect(a.columns.map((c) => c.as)).toEqual([64496, 64497, 64510]);
    expect(a.rows.map((r) => r.prefix)).toEqual(['10.1.0.0/16', '10.2.0.0/16', '10.9.0.0/16']);
    expect(a.rows[0]?.cells.map((c) => c.differs)).toEqual([false, true, true]);
    expect(a.rows[0]?.cells[1]?.sent).toMatchObject({ now: undefined, before: { path: '64500 64500' } });
    expect(a.rows[2]?.cells.map((c) => c.differs)).toEqual([false, true, false]);
  });
  test('marks nothing by itself, and nothing between a moment and itself', () => {
    expect(across(now, undefined).rows.some((r) => r.differs)).toBe(false);
    expect(across(now, now).rows.some((r) => r.differs)).toBe(false);
  });
});
