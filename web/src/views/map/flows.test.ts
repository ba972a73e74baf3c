import { expect, test } from 'vitest';
import { foldedOf, type FlowState } from './flows';

const flow = (name: string, tone: FlowState['tone'] = 'leaf'): FlowState => ({
  name,
  state: 'arrives',
  tone,
});
const list = (n: number) => Array.from({ length: n }, (_, i) => flow(`f${i}`));

test('few flows have a button each', () => {
  expect(foldedOf(list(12), 'f1')).toEqual({ buttons: list(12), listed: false });
});

test('of many, what is broken comes first, and what is shown is there', () => {
  const flows = [...list(30), flow('post', 'brick'), flow('mail', 'ochre')];
  const { buttons, listed } = foldedOf(flows, 'f20');
  expect(listed).toBe(true);
  expect(buttons.map((f) => f.name)).toEqual(['f20', 'post', 'mail', 'f0', 'f1', 'f2']);
  expect(foldedOf(flows, 'post').buttons.map((f) => f.name)).toEqual([
    'post',
    'mail',
    'f0',
    'f1',
    'f2',
    'f3',
  ]);
  expect(
    foldedOf(
      flows.map((f) => ({ ...f, state: f.tone === 'leaf' ? '' : f.state })),
      '',
    ).buttons,
  ).toHaveLength(2);
});
