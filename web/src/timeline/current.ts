import type { Action } from '../api/client';

/** The action that a moment belongs to, and its time if it lies within. */
export function currentAction(actions: Action[], when: string): { seq: number; at: number | undefined } {
  const last = actions.length;
  const m = /^(before|after)-(\d+)$/.exec(when);
  if (m) {
    const a = actions[Number(m[2]) - 1];
    return { seq: a?.seq ?? last, at: m[1] === 'before' ? a?.start : undefined };
  }
  if (when === 'now' || when === '') return { seq: last, at: undefined };
  const t = Number(when);
  const a = [...actions].reverse().find((x) => x.start <= t);
  return { seq: a?.seq ?? last, at: t };
}
