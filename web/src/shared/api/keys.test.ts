import { hashKey } from '@tanstack/react-query';
import { describe, expect, test } from 'vitest';
import { shortHash } from './keys';

describe('the hash of a key', () => {
  test('is short, and the same for the same text only', () => {
    const text = 'router mill\n'.repeat(1000);
    const hash = shortHash(['check', 'x', 1, text]);
    expect(hash.length).toBeLessThan(60);
    expect(shortHash(['check', 'x', 1, 'router mill\n'.repeat(1000)])).toBe(hash);
    expect(shortHash(['check', 'x', 1, `${text} `])).not.toBe(hash);
    expect(shortHash(['check', 'x', 2, text])).not.toBe(hash);
    expect(shortHash(['get', '/api', { b: 1, a: 2 }])).toBe(hashKey(['get', '/api', { a: 2, b: 1 }]));
  });
  test('of more texts than are remembered none has the number of another', () => {
    const texts = Array.from({ length: 200 }, (_, i) => `${i} `.repeat(600));
    const hashes = texts.map((t) => shortHash([t]));
    expect(new Set(hashes).size).toBe(200);
    expect(shortHash([texts[199]])).toBe(hashes[199]);
    expect(hashes).not.toContain(shortHash([texts[0]]));
  });
});
