import { expect, test } from 'vitest';
import { csv } from './csv';

test('fields with commas, quotes and line breaks are quoted (RFC 4180)', () => {
  expect(
    csv([
      ['a', 'b,c', 'say "no"', 4],
      ['x\ny', '', '-', 0],
    ]),
  ).toBe('a,"b,c","say ""no""",4\r\n"x\ny",,-,0\r\n');
});
