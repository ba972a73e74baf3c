import type { ActionForm } from '../api/client';
import type { Names } from './names';

/** What may come next in an action, by its forms: the words at the place of the last one of `words`. */
export function completeAction(words: string[], forms: ActionForm[], names: Names): string[] {
  const at = words.length - 1;
  const offers = forms.flatMap((f) => {
    const form = f.form.split(' ');
    const fits = words
      .slice(0, at)
      .every((w, i) => wordsOf(form[i] ?? '', words, form, names)?.includes(w) ?? true);
    return fits ? (form[at]?.split('|').flatMap((p) => wordsOf(p, words, form, names) ?? []) ?? []) : [];
  });
  return [...new Set(offers)];
}

/** The words that may be where a form has this one; undefined if any may. */
function wordsOf(part: string, words: string[], form: string[], names: Names): string[] | undefined {
  switch (part) {
    case 'PORT':
      return names.ports;
    case 'DEVICE':
      return names.devices;
    case 'GROUP':
      return names.groups.map((g) => `"${g}"`);
    case 'SEGMENT':
      return names.segments;
    case 'PEER':
      return names.sessions.map((s) => s.split('/')[1] ?? '');
    case 'ROUTER': {
      const peer = words[form.findIndex((p) => p.startsWith('PEER'))];
      if (peer === undefined) return names.devices;
      const ends = names.sessions.map((s) => s.split('/'));
      return ends.filter((e) => peer === 'all' || e[1] === peer).map((e) => e[0] ?? '');
    }
    case 'TIME':
    case 'SHARE':
      return undefined;
  }
  return part.includes('|') ? part.split('|').flatMap((p) => wordsOf(p, words, form, names) ?? []) : [part];
}
