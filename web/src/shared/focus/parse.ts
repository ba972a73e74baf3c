import { completeAction } from './actions';
import type { Focus } from './focus';
import { typedMoment } from './moment';
import type { Names } from './names';

export type Typed =
  | { kind: 'focus'; change: Partial<Focus> }
  | { kind: 'action'; action: string }
  | { kind: 'question'; line: string }
  | { kind: 'edit'; line: string }
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

/** What a question begins with, and what an edit does that does not begin with a place. */
export const questionWords = ['ping', 'trace', 'path', 'routes', 'neighbours', 'ports', 'why'];
export const editWords = [
  ...['add', 'remove', 'rename', 'move', 'new', 'connect', 'run'],
  ...['lab', 'plan', 'router', 'host', 'link', 'segment', 'key-chain', 'prefix-set', 'policy', 'as-path-set'],
  ...['community-set', 'tag-set', 'neighbour-set', 'check', 'brief'],
];

/** Whether a word names a place that can be edited; a comma leads to the next one. */
export function isPlace(word: string, names: Names): boolean {
  const w = word.replace(/,$/, '');
  const device = w.split(/[./]/)[0] ?? '';
  return names.devices.includes(w) || (names.devices.includes(device) && w !== device);
}

/** Whether a line is, or may become, an edit. */
export const isEdit = (line: string, names: Names) => {
  const first = line.trimStart().split(/\s+/)[0] ?? '';
  return line.trimStart().includes(' ') && (editWords.includes(first) || isPlace(first, names));
};

/** The known word that is nearest to one that is not, '' if none is near. */
export function nearest(word: string, known: string[]): string {
  let best = '';
  let distance = 3;
  for (const k of new Set(known)) {
    const d = edits(word, k);
    if (d < distance && d < k.length) [best, distance] = [k, d];
  }
  return best;
}

/** The Levenshtein distance. */
function edits(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next[j] = Math.min(
        (next[j - 1] ?? 0) + 1,
        (row[j] ?? 0) + 1,
        (row[j - 1] ?? 0) + (a[i - 1] === b[j - 1] ? 0 : 1),
      );
    row = next;
  }
  return row[b.length] ?? 0;
}

/** Reads a line: where to look (names, prefixes, moments in any order), what to do, to ask or to change. */
export function parseTyped(line: string, names: Names): Typed {
  const words = line.trim().split(/\s+/).filter(Boolean);
  const first = words[0];
  if (first === undefined) return { kind: 'focus', change: { who: '', to: '', when: 'now' } };
  if (isAction(first, names)) return { kind: 'action', action: words.join(' ') };
  if (words.length > 1 && questionWords.includes(first)) return { kind: 'question', line: line.trim() };
  if (words.length > 1 && editWords.includes(first) && !names.devices.includes(first))
    return { kind: 'edit', line: line.trim() };
  const looked = parseFocus(words, names);
  if (looked.kind === 'error' && words.length > 1 && isPlace(first, names))
    return { kind: 'edit', line: line.trim() };
  return looked;
}

/** Reads where to look. */
function parseFocus(words: string[], names: Names): Typed {
  const change: Partial<Focus> = {};
  for (let i = 0; i < words.length; i++) {
    const w = words[i] ?? '';
    if (w === 'all') change.who = '';
    else if (w === 'everything') change.to = '';
    else if (w === 'flow' && names.flows.includes(words[i + 1] ?? '')) change.to = `flow ${words[++i]}`;
    else if (names.flows.includes(w) && !names.devices.includes(w)) change.to = `flow ${w}`;
    else if ([names.devices, names.instances, names.ports, names.sessions].some((list) => list.includes(w)))
      change.who = w;
    else if (prefix.test(w) || address.test(w)) change.to = w;
    else if (typedMoment(w, names.moments))
      Object.assign(change, { when: typedMoment(w, names.moments), since: '' });
    else if (pairOf(w, names)) Object.assign(change, pairOf(w, names));
    else return { kind: 'error', message: unknown(w, names) };
  }
  return { kind: 'focus', change };
}

/** What is said of a word that nothing is named. */
function unknown(word: string, names: Names): string {
  const known = [
    ...names.devices,
    ...names.instances,
    ...names.ports,
    ...names.flows,
    ...names.moments,
    ...names.forms.map((f) => f.word),
    ...questionWords,
    ...editWords,
  ];
  const near = nearest(word, known);
  return `nothing here is called "${word}"${near ? `; did you mean ${near}?` : ''}`;
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
          ...names.instances,
          ...names.ports,
          ...names.sessions,
          ...names.flows,
          ...names.prefixes,
          'now',
          ...names.moments,
          ...Array.from({ length: names.actions }, (_, i) => [`before-${i + 1}`, `after-${i + 1}`]).flat(),
          ...(words.length === 1
            ? new Set([...names.forms.map((f) => f.word), ...questionWords, ...editWords])
            : []),
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
