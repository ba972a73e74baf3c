import type { Action, NamedMoment } from '../../shared/api/client';

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

/** The virtual time of a moment, however it is written: a number, an action's side, a name, or now. */
export function timeOf(
  when: string,
  lab:
    | { now: number; actions: { seq: number; start: number; end: number }[]; moments?: NamedMoment[] }
    | undefined,
): number {
  if (/^[\d.]+$/.test(when)) return Number(when);
  const m = /^(before|after)-(\d+)$/.exec(when);
  const a = lab?.actions.find((x) => x.seq === Number(m?.[2]));
  if (m && a) return m[1] === 'before' ? a.start : a.end;
  return lab?.moments?.find((x) => x.name === when)?.at ?? lab?.now ?? 0;
}
