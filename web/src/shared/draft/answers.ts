import { useCallback, useState } from 'react';
import type { Said } from '../api/client';

/** A question that was typed, with the moment that it was asked of, and its answer. */
export interface Answered {
  moment: string;
  /** What was asked of the server: now, before-2 ... */
  when: string;
  said: Said;
  error?: string;
}

const key = (id: string) => `hellebore-answers-${id}`;
/** How many are kept. */
const most = 100;

function read(id: string): Answered[] {
  try {
    const found = JSON.parse(localStorage.getItem(key(id)) ?? '[]') as unknown;
    return Array.isArray(found) ? (found as Answered[]) : [];
  } catch {
    return []; // what cannot be read is no answer
  }
}

/** The answers of a lab, the newest first. */
export function useAnswers(id: string) {
  const [list, setList] = useState(() => read(id));
  const change = useCallback(
    (next: (was: Answered[]) => Answered[]) =>
      setList((was) => {
        const now = next(was).slice(0, most);
        localStorage.setItem(key(id), JSON.stringify(now));
        return now;
      }),
    [id],
  );
  return {
    list,
    add: useCallback((a: Answered) => change((was) => [a, ...was]), [change]),
    clear: useCallback(() => change(() => []), [change]),
  };
}

/** The record of a troubleshooting: each question with its moment and its answer, the oldest first. */
export function markdown(title: string, list: Answered[]): string {
  const parts = list.toReversed().map((a) => {
    const rows = a.said.rows.length > 0 ? ['', '```', ...a.said.rows, '```'] : [];
    return [`## \`${a.said.line}\``, '', `*${a.moment}*`, '', a.error ?? a.said.says, ...rows].join('\n');
  });
  return `${[`# ${title}`, ...parts].join('\n\n')}\n`;
}
