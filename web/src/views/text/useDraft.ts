import { useCallback, useReducer } from 'react';
import { type LabState } from '../../shared/api/client';
import { keepDraft, readDraft, type Draft } from './draft';

type Event =
  /** Somebody wrote. */
  | { kind: 'written'; text: string }
  /** The draft is that of another, or what the lab has now. */
  | { kind: 'taken'; draft: Draft }
  /** The action of this number applied the text. */
  | { kind: 'applied'; seq: number };

export function draftAfter(d: Draft, e: Event): Draft {
  switch (e.kind) {
    case 'written':
      return { text: e.text, base: d.base };
    case 'taken':
      return e.draft;
    case 'applied':
      return { text: d.text, base: e.seq };
  }
}

/** The draft of this browser, from what was found kept; it is the lab's own text until somebody writes. */
export function useDraft(id: string, lab: LabState, found: Draft | undefined, busy: boolean) {
  const own = { text: lab.text, base: lab.textSeq };
  const [draft, dispatch] = useReducer(draftAfter, found ?? own);
  const dirty = draft.text !== lab.text;

  // A text that was applied elsewhere is shown at once if nothing was written here.
  const untouched = readDraft(id) === undefined && found === undefined && !busy;
  if (draft.base !== lab.textSeq && (!dirty || untouched)) dispatch({ kind: 'taken', draft: own });

  const change = useCallback(
    (text: string) => {
      dispatch({ kind: 'written', text });
      keepDraft(id, text === lab.text ? undefined : { text, base: draft.base });
    },
    [id, lab.text, draft.base],
  );
  return {
    draft,
    dirty,
    change,
    /** Goes on with a copy of another's draft. */
    take: (d: Draft) => {
      keepDraft(id, d);
      dispatch({ kind: 'taken', draft: d });
    },
    /** The action of this number applied the draft; what stays of it is kept only if it was taken back. */
    applied: (seq: number, takenBack = false) => {
      if (!takenBack) keepDraft(id, undefined);
      dispatch({ kind: 'applied', seq });
    },
    discard: () => {
      keepDraft(id, undefined);
      dispatch({ kind: 'taken', draft: own });
    },
  };
}
