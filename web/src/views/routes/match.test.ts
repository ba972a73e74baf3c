import { expect, test } from 'vitest';
import { matches } from './match';

test.each([
  ['10.20.2.0/24', '', true],
  ['10.20.2.0/24', 'flow tickets', true],
  ['10.20.2.0/24', '10.20.2.0/24', true],
  ['10.20.2.0/24', '10.20.0.0/16', true],
  ['10.20.2.0/24', '10.20.2.10', true],
  ['0.0.0.0/0', '10.20.2.10', true],
  ['10.20.2.0/24', '10.20.3.1', false],
  ['10.255.0.1/32', '10.20.0.0/16', false],
])('%s and %s: %s', (prefix, to, want) => expect(matches(prefix, to)).toBe(want));
