import { expect, test } from 'vitest';
import type { Previewed } from '../../shared/api/client';
import { noPlan } from './StagePlan';
import { draftAfter } from './useDraft';
import { previewAfter } from './usePreview';

test('a draft keeps what it was made from until it is applied', () => {
  const written = draftAfter({ text: 'a', base: 3 }, { kind: 'written', text: 'b' });
  expect(written).toEqual({ text: 'b', base: 3 });
  expect(draftAfter(written, { kind: 'applied', seq: 5 })).toEqual({ text: 'b', base: 5 });
  expect(draftAfter(written, { kind: 'taken', draft: { text: 'c', base: 4 } })).toEqual({
    text: 'c',
    base: 4,
  });
});

test('a preview is shown until the draft is over', () => {
  const preview = { id: 'p' } as Previewed;
  const plan = { ...noPlan, message: 'why' };
  const start = { plan: noPlan, shown: undefined, overtaken: '' };
  const shown = [
    { kind: 'planned', plan } as const,
    { kind: 'overtaken', why: 'the lab moved on' } as const,
    { kind: 'previewed', preview, text: 'b', plan } as const,
  ].reduce(previewAfter, start);
  expect(shown).toEqual({ plan, shown: { preview, text: 'b', plan }, overtaken: 'the lab moved on' });
  expect(previewAfter(shown, { kind: 'begun' }).overtaken).toBe('');
  expect(previewAfter(shown, { kind: 'over', plan: noPlan })).toEqual(start);
});
