import type { Action, NamedMoment } from '../api/client';

/** The action that a moment belongs to, and its time if it lies within. */
export function currentAction(
  actions: Action[],
  when: string,
  moments: NamedMoment[] = [],
): { seq: number; at: number | undefined } {
  const last = actions.length;
  const m = /^(before|after)-(\d+)$/.exec(when);
  if (m) {
    const a = actions[Number(m[2]) - 1];
    return { seq: a?.seq ?? last, at: m[1] === 'before' ? a?.start : undefined };
  }
  if (when === 'now' || when === '') return { seq: last, at: undefined };
  const named = moments.find((x) => x.name === when);
  if (named) return { seq: Math.max(named.step, Math.min(1, last)), at: named.at };
  const t = Number(when);
  const a = [...actions].reverse().find((x) => x.start <= t);
  return { seq: a?.seq ?? last, at: t };
}

/** How many actions had been done at a moment. */
export function stepsAt(actions: Action[], when: string, moments: NamedMoment[]): number {
  const before = /^before-(\d+)$/.exec(when);
  return before ? Number(before[1]) - 1 : currentAction(actions, when, moments).seq;
}

/** The action that applied the text in force at a moment. */
export function textAt(actions: Action[], when: string, moments: NamedMoment[]): number {
  const until = stepsAt(actions, when, moments);
  return [...actions].reverse().find((a) => a.seq <= until && a.action === 'apply')?.seq ?? 0;
}
