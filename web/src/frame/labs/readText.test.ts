import { expect, test } from 'vitest';
import { readText } from './readText';

const text = 'router dépôt\n';
const units = (put: (u: number) => number[]) =>
  new Uint8Array(Array.from('\uFEFF' + text).flatMap((c) => put(c.charCodeAt(0))));

test.each([
  ['UTF-8', new TextEncoder().encode(text)],
  ['UTF-8 with a mark', new TextEncoder().encode('\uFEFF' + text)],
  ['UTF-16, the low byte first', units((u) => [u & 255, u >> 8])],
  ['UTF-16, the high byte first', units((u) => [u >> 8, u & 255])],
])('a text file in %s is read', async (_, bytes) => {
  expect(await readText(new Blob([bytes]))).toBe(text);
});
