import { useCallback, useEffect, useReducer } from 'react';
import { type LabState } from '../api/client';
import { keepDraft, readDraft, type Draft } from './kept';

/** What wrote a draft: somebody's keys, which are one step however many they are, or a gesture. */
type By = 'keys' | 'gesture';

type Event =
  | { kind: 'written'; text: string; by: By }
  /** The draft is another one: what the lab has now, that of a colleague, or what was kept. */
  | { kind: 'taken'; draft: Draft; mine: boolean }
  /** The action of this number applied the text. */
  | { kind: 'applied'; seq: number }
  | { kind: 'undone' }
  | { kind: 'redone' };

export interface Drafted {
  draft: Draft;
  /** The texts before, the last one last, and those that were undone, the next one last. */
  before: string[];
  after: string[];
  by: By;
  /** Somebody wrote here: what was kept is out of date. */
  mine: boolean;
}

/** How many steps can be undone. */
const most = 200;

export function draftAfter(d: Drafted, e: Event): Drafted {
  switch (e.kind) {
    case 'written': {
      if (e.text === d.draft.text) return d;
      const draft = { text: e.text, base: d.draft.base };
      const goesOn = e.by === 'keys' && d.by === 'keys' && d.mine && d.before.length > 0;
      const before = goesOn ? d.before : [...d.before, d.draft.text].slice(-most);
      return { draft, before, after: [], by: e.by, mine: true };
    }
    case 'taken': {
      const before =
        e.mine && e.draft.text !== d.draft.text ? [...d.before, d.draft.text].slice(-most) : d.before;
      return { draft: e.draft, before, after: e.mine ? [] : d.after, by: 'gesture', mine: e.mine || d.mine };
    }
    case 'applied':
      return { ...d, draft: { text: d.draft.text, base: e.seq }, by: 'gesture', mine: true };
    case 'undone': {
      const text = d.before.at(-1);
      if (text === undefined) return d;
      return {
        draft: { text, base: d.draft.base },
        before: d.before.slice(0, -1),
        after: [...d.after, d.draft.text],
        by: 'gesture',
        mine: true,
      };
    }
    case 'redone': {
      const text = d.after.at(-1);
      if (text === undefined) return d;
      return {
        draft: { text, base: d.draft.base },
        before: [...d.before, d.draft.text],
        after: d.after.slice(0, -1),
        by: 'gesture',
        mine: true,
      };
    }
  }
}

/**
 * The draft of this browser: the lab's own text until somebody writes. found is what the server keeps, null if that is
 * nothing, undefined while it is not known.
 */
export function useDraft(id: string, lab: LabState, found: Draft | null | undefined, busy: boolean) {
  const own = { text: lab.text, base: lab.textSeq };
  const [state, dispatch] = useReducer(draftAfter, undefined, () => ({
    draft: readDraft(id) ?? found ?? own,
    before: [],
    after: [],
    by: 'gesture' as const,
    mine: false,
  }));
  const { draft, mine } = state;
  const dirty = draft.text !== lab.text;

  // What the server kept comes a moment later. A text that was applied elsewhere is shown at once if nothing was written
  // here.
  const kept = mine ? undefined : found;
  const untouched = readDraft(id) === undefined && !busy;
  if (untouched && kept && draft.text !== kept.text) dispatch({ kind: 'taken', draft: kept, mine: false });
  else if (draft.base !== lab.textSeq && (!dirty || (untouched && !kept)))
    dispatch({ kind: 'taken', draft: own, mine: false });

  useEffect(() => {
    if (mine) keepDraft(id, dirty ? draft : undefined);
  }, [id, mine, dirty, draft]);

  const change = useCallback((text: string, by: By = 'keys') => dispatch({ kind: 'written', text, by }), []);
  return {
    draft,
    dirty,
    /** Somebody types: more may come. */
    byKeys: state.by === 'keys',
    change,
    /** Goes on with a copy of another's draft. */
    take: (d: Draft) => dispatch({ kind: 'taken', draft: d, mine: true }),
    /** The action of this number applied the draft. */
    applied: (seq: number) => dispatch({ kind: 'applied', seq }),
    discard: () => dispatch({ kind: 'taken', draft: own, mine: true }),
    /** The texts that come back by an undo and a redo; undefined if there is nothing to undo. */
    previous: state.before.at(-1),
    next: state.after.at(-1),
    undo: () => dispatch({ kind: 'undone' }),
    redo: () => dispatch({ kind: 'redone' }),
  };
}
