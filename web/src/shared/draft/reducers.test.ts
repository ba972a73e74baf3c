import { expect, test } from 'vitest';
import type { Previewed } from '../api/client';
import { noPlan } from './plan';
import { draftAfter, type Drafted } from './useDraft';
import { previewAfter } from './usePreview';

const start: Drafted = { draft: { text: 'a', base: 3 }, before: [], after: [], by: 'gesture', mine: false };
const written = (d: Drafted, text: string, by: 'keys' | 'gesture' = 'gesture') =>
  draftAfter(d, { kind: 'written', text, by });

test('a draft keeps what it was made from until it is applied', () => {
  const b = written(start, 'b');
  expect(b.draft).toEqual({ text: 'b', base: 3 });
  expect(draftAfter(b, { kind: 'applied', seq: 5 }).draft).toEqual({ text: 'b', base: 5 });
  const taken = draftAfter(b, { kind: 'taken', draft: { text: 'c', base: 4 }, mine: true });
  expect(taken.draft).toEqual({ text: 'c', base: 4 });
});

test('any gesture can be undone and done again, byte for byte, also across an apply and a discard', () => {
  const texts = ['b', 'b\n', ' b\t\n\n', 'c', ''];
  let d = texts.reduce((was, text) => written(was, text), start);
  d = draftAfter(d, { kind: 'applied', seq: 9 });
  d = draftAfter(d, { kind: 'taken', draft: { text: 'a', base: 9 }, mine: true });
  const seen = [];
  while (d.before.length > 0) {
    d = draftAfter(d, { kind: 'undone' });
    seen.push(d.draft.text);
  }
  expect(seen).toEqual([...texts.toReversed(), 'a']);
  expect(draftAfter(d, { kind: 'undone' })).toBe(d);
  while (d.after.length > 0) d = draftAfter(d, { kind: 'redone' });
  expect(d.draft).toEqual({ text: 'a', base: 9 });
  expect(draftAfter(written(d, 'z'), { kind: 'redone' }).draft.text).toBe('z');
});

test('what is typed in one go is one step', () => {
  const typed = ['x', 'xy', 'xyz'].reduce((was, text) => written(was, text, 'keys'), start);
  expect(draftAfter(typed, { kind: 'undone' }).draft.text).toBe('a');
  const again = written(written(typed, 'g'), 'gh', 'keys');
  expect(draftAfter(again, { kind: 'undone' }).draft.text).toBe('g');
});

test('a preview is shown until the draft is over', () => {
  const preview = { id: 'p' } as Previewed;
  const plan = { ...noPlan, message: 'why' };
  const begin = { plan: noPlan, shown: undefined, overtaken: '', tried: undefined };
  const shown = [
    { kind: 'planned', plan } as const,
    { kind: 'overtaken', why: 'the lab moved on' } as const,
    { kind: 'previewed', preview, text: 'b', plan, after: 3 } as const,
  ].reduce(previewAfter, begin);
  expect(shown).toEqual({
    plan,
    shown: { preview, text: 'b', plan, after: 3 },
    overtaken: 'the lab moved on',
    tried: undefined,
  });
  const again = previewAfter({ ...shown, tried: 'b' }, { kind: 'begun', text: 'b', applying: false });
  expect(again.overtaken).toBe('the lab moved on');
  expect(previewAfter(again, { kind: 'begun', text: 'c', applying: false }).overtaken).toBe('');
  expect(previewAfter(again, { kind: 'begun', text: 'b', applying: true }).overtaken).toBe('');
  expect(previewAfter(shown, { kind: 'over', plan: noPlan })).toEqual(begin);
});
