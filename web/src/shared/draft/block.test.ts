import { describe, expect, test } from 'vitest';
import { deviceRange, withRange } from './block';

const text =
  'lab "T"\n\nrouter mill like a\n  port e1\n\n    ospf\n\n# the halt\nrouter halt\n  port e1\nhost mill-gate 10.0.0.1/24\n';

describe('the block of a device', () => {
  const lines = text.split('\n');
  test('ends before what begins a line, and keeps its blank lines', () => {
    expect(deviceRange(lines, 'mill')).toEqual({ from: 2, to: 7 });
    expect(deviceRange(lines, 'halt')).toEqual({ from: 8, to: 10 });
    expect(deviceRange(lines, 'mill-gate')).toEqual({ from: 10, to: 12 });
    expect(deviceRange(lines, 'gate')).toBeUndefined();
  });
  test('is written in its place, half written or not', () => {
    const r = deviceRange(lines, 'halt') ?? { from: 0, to: 0 };
    const said = withRange(lines, r, 'router halt\n  po\n');
    expect(said).toBe(text.replace('router halt\n  port e1\n', 'router halt\n  po\n\n'));
    expect(deviceRange(said.split('\n'), 'halt')).toEqual({ from: 8, to: 11 });
  });
});
