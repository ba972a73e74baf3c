import { completeAction } from './actions';
import type { Focus } from './focus';
import { typedMoment } from './moment';
import type { Names } from './names';

export type Typed =
  | { kind: 'focus'; change: Partial<Focus> }
  | { kind: 'action'; action: string }
  | { kind: 'error'; message: string };

const address = /^\d+\.\d+\.\d+\.\d+$/;
const prefix = /^\d+\.\d+\.\d+\.\d+\/\d+$/;
/** Two moments to compare: "before-2..now". */
function pairOf(w: string, names: Names): Partial<Focus> | undefined {
  const [a = '', b = '', more] = w.split('..');
  const since = typedMoment(a, names.moments);
  const when = typedMoment(b || 'now', names.moments);
  return w.includes('..') && more === undefined && since && when ? { since, when } : undefined;
}

/** Reads a line of the focus bar: names, prefixes and moments in any order, or an action. */
export function parseTyped(line: string, names: Names): Typed {
  const words = line.trim().split(/\s+/).filter(Boolean);
  const first = words[0];
  if (first === undefined) return { kind: 'focus', change: { who: '', to: '', when: 'now' } };
  if (isAction(first, names)) return { kind: 'action', action: words.join(' ') };
  const change: Partial<Focus> = {};
  for (let i = 0; i < words.length; i++) {
    const w = words[i] ?? '';
    if (w === 'all') change.who = '';
    else if (w === 'everything') change.to = '';
    else if (w === 'flow' && names.flows.includes(words[i + 1] ?? '')) change.to = `flow ${words[++i]}`;
    else if (names.flows.includes(w) && !names.devices.includes(w)) change.to = `flow ${w}`;
    else if (names.devices.includes(w) || names.ports.includes(w) || names.sessions.includes(w))
      change.who = w;
    else if (prefix.test(w) || address.test(w)) change.to = w;
    else if (typedMoment(w, names.moments))
      Object.assign(change, { when: typedMoment(w, names.moments), since: '' });
    else if (pairOf(w, names)) Object.assign(change, pairOf(w, names));
    else return { kind: 'error', message: `"${w}" is no device, port, flow, prefix or moment of this lab` };
  }
  return { kind: 'focus', change };
}

/** The ways to go on with the last word of a line. */
export function completeTyped(line: string, names: Names): string[] {
  const words = line.split(/\s+/);
  const last = words[words.length - 1] ?? '';
  if (last === '') return [];
  const first = words[0] ?? '';
  const known =
    words.length > 1 && isAction(first, names)
      ? completeAction(words, names.forms, names)
      : [
          ...names.devices,
          ...names.ports,
          ...names.sessions,
          ...names.flows,
          ...names.prefixes,
          'now',
          ...names.moments,
          ...Array.from({ length: names.actions }, (_, i) => [`before-${i + 1}`, `after-${i + 1}`]).flat(),
          ...(words.length === 1 ? new Set(names.forms.map((f) => f.word)) : []),
        ];
  const [left, right] = last.split('..');
  if (right !== undefined && /^[\w.-]*$/.test(left ?? ''))
    return known
      .filter((k) => typedMoment(k, names.moments) && k.startsWith(right))
      .map((k) => `${left}..${k}`)
      .slice(0, 8);
  return known.filter((k) => k.startsWith(last) && k !== last).slice(0, 8);
}

const isAction = (word: string, names: Names) => names.forms.some((f) => f.word === word);
