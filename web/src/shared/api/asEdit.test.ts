import { describe, expect, test } from 'vitest';
import { ApiError } from './client';
import { asEdit, editBetween } from './asEdit';

const applied = (old: string, e: { from: number; to: number; insert: string }) =>
  old.slice(0, e.from) + e.insert + old.slice(e.to);

describe('a text as an edit of another', () => {
  test('any two texts differ by what is between their common ends', () => {
    let seed = 1;
    const draw = (n: number) => (seed = (seed * 1103515245 + 12345) % 2147483648) % n;
    const text = () => Array.from({ length: draw(9000) }, () => 'ab\n'[draw(3)]).join('');
    for (let i = 0; i < 300; i++) {
      const old = text();
      const at = draw(old.length + 1);
      const now = draw(4) ? old.slice(0, at) + text().slice(0, draw(20)) + old.slice(at + draw(9)) : text();
      expect(applied(old, editBetween(old, now))).toBe(now);
    }
    expect(editBetween('aaaa', 'aaaaa').insert).toBe('a');
    expect(editBetween('same', 'same')).toEqual({ from: 4, to: 4, insert: '' });
  });

  test('it is sent whole once, then as edits, and whole again when the server has forgotten it', async () => {
    const base = 'router mill\n'.repeat(1000);
    const sent: string[] = [];
    let forgotten = false;
    const ask = (body: object) => {
      sent.push('text' in body ? 'whole' : 'edit');
      if ('edit' in body && forgotten) return Promise.reject(new ApiError(410, 'gone'));
      return Promise.resolve({ key: 'text' in body ? 'k' : undefined });
    };
    await asEdit(base, ask);
    await asEdit(`${base}r`, ask);
    await asEdit(`x${base}`, ask);
    forgotten = true;
    await asEdit(`${base}ro`, ask);
    expect(sent).toEqual(['whole', 'edit', 'edit', 'edit', 'whole']);
    await expect(asEdit(base, () => Promise.reject(new Error('no')))).rejects.toThrow('no');
  });
});
