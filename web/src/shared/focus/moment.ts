import { duration } from '../parts/words';

/** A moment as the address and the focus bar write it, read here only. */
export type Moment =
  | { kind: 'now' }
  /** Right before or after an action, by its number. */
  | { kind: 'side'; side: 'before' | 'after'; seq: number }
  /** Virtual time, in seconds. */
  | { kind: 'time'; at: number }
  | { kind: 'name'; name: string };

export function readMoment(when: string): Moment {
  if (when === 'now' || when === '') return { kind: 'now' };
  const m = /^(before|after)-(\d+)$/.exec(when);
  if (m) return { kind: 'side', side: m[1] === 'before' ? 'before' : 'after', seq: Number(m[2]) };
  if (/^\d+(\.\d+)?$/.test(when)) return { kind: 'time', at: Number(when) };
  return { kind: 'name', name: when };
}

/** A typed moment as the address has it, undefined if the word is none. Typed times have a unit: "12.5s". */
export function typedMoment(word: string, names: string[]): string | undefined {
  const seconds = /^(\d+(\.\d+)?)s$/.exec(word)?.[1];
  if (seconds !== undefined) return seconds;
  const m = word === '' ? undefined : readMoment(word);
  return m?.kind === 'now' || m?.kind === 'side' || names.includes(word) ? word : undefined;
}

/** What of a lab says when things were: its actions in order, and the moments that have a name. */
export interface Life {
  now: number;
  actions: { seq: number; action: string; start: number; end: number }[];
  moments: { name: string; at: number; step: number }[];
}

/** The last action that began by then; 0 if there is none. */
const begunBy = (life: Life, at: number) => life.actions.findLast((a) => a.start <= at)?.seq ?? 0;

/** The action that a moment belongs to, and its time if it lies within. */
export function currentAction(life: Life, when: string): { seq: number; at: number | undefined } {
  const last = life.actions.length;
  const m = readMoment(when);
  switch (m.kind) {
    case 'now':
      return { seq: last, at: undefined };
    case 'side': {
      const a = life.actions[m.seq - 1];
      return { seq: a?.seq ?? last, at: m.side === 'before' ? a?.start : undefined };
    }
    case 'time':
      return { seq: begunBy(life, m.at) || last, at: m.at };
    case 'name': {
      const named = life.moments.find((x) => x.name === m.name);
      if (!named) return { seq: last, at: undefined };
      return { seq: Math.max(named.step, Math.min(1, last)), at: named.at };
    }
  }
}

/** How many actions had been done at a moment. */
export function stepsAt(life: Life, when: string): number {
  const m = readMoment(when);
  return m.kind === 'side' && m.side === 'before' ? m.seq - 1 : currentAction(life, when).seq;
}

/** The action that applied the text in force at a moment. */
export function textAt(life: Life, when: string): number {
  const until = stepsAt(life, when);
  return life.actions.findLast((a) => a.seq <= until && a.action === 'apply')?.seq ?? 0;
}

/** The virtual time of a moment, in seconds. */
export function timeOf(life: Life, when: string): number {
  const m = readMoment(when);
  switch (m.kind) {
    case 'now':
      return life.now;
    case 'side': {
      const a = life.actions[m.seq - 1];
      return (m.side === 'before' ? a?.start : a?.end) ?? life.now;
    }
    case 'time':
      return m.at;
    case 'name':
      return life.moments.find((x) => x.name === m.name)?.at ?? life.now;
  }
}

/** A moment in words: "before cut viaduct.e2", "0.05 s after cut viaduct.e2". */
export function momentWords(life: Pick<Life, 'actions'>, when: string): string {
  const m = readMoment(when);
  switch (m.kind) {
    case 'now':
      return 'now';
    case 'side':
      return `${m.side} ${life.actions.find((a) => a.seq === m.seq)?.action ?? `action ${m.seq}`}`;
    case 'time': {
      const last = life.actions.findLast((a) => a.start <= m.at);
      return last ? `${duration(m.at - last.start)} after ${last.action}` : duration(m.at);
    }
    case 'name':
      return m.name;
  }
}
