import { createContext, useContext } from 'react';
import type { Hunk, KeptDraft, Problem } from '../api/client';
import type { Draft } from './kept';
import type { useChecked } from './useChecked';
import type { usePreview } from './usePreview';

/** The draft of a lab, what it would do, and the ways to write it: one for all views. */
export interface Drafting {
  draft: Draft;
  dirty: boolean;
  /** Nothing can be changed: it is the past. */
  past: boolean;
  /** What somebody types. */
  change: (text: string) => void;
  /** A text made by a gesture: one step to undo. */
  write: (text: string) => void;
  /** Makes edits of the draft, each as it is typed, and returns the text; an error says which one cannot be made. */
  edit: (...edits: string[]) => Promise<string>;
  take: (d: Draft) => void;
  discard: () => void;
  undo: (() => void) | undefined;
  redo: (() => void) | undefined;
  /** The text that was checked, and what was found. */
  settled: string;
  checking: boolean;
  problems: Problem[];
  errors: number;
  touched: string[];
  changes: ReturnType<typeof useChecked>['changes'];
  lines: Hunk[];
  checkError: Error | null;
  effect: ReturnType<typeof usePreview>;
  /** Why a gesture could not be applied at once. */
  gestureError: Error | null;
  author: string;
  setAuthor: (name: string) => void;
  /** The drafts of colleagues. */
  others: KeptDraft[];
  /** How often somebody asked for a preview. */
  looked: number;
  look: () => void;
  /** Each gesture is applied at once. */
  atOnce: boolean;
  setAtOnce: (on: boolean) => void;
}

export const DraftingContext = createContext<Drafting | undefined>(undefined);

/** The draft of the lab that is open. */
export function useDrafting(): Drafting {
  const found = useContext(DraftingContext);
  if (!found) throw new Error('no lab is open');
  return found;
}

/** The ways to write the draft, which stay the same while it changes: what only writes is not drawn anew. */
export interface Hands extends Pick<Drafting, 'past' | 'edit' | 'write'> {
  /** The text of the draft at the moment. */
  text: () => string;
  /** What there is nothing of to undo or redo stays as it is. */
  undo: () => void;
  redo: () => void;
}

export const HandsContext = createContext<Hands | undefined>(undefined);

/** What writes the draft of the lab that is open. */
export function useHands(): Hands {
  const found = useContext(HandsContext);
  if (!found) throw new Error('no lab is open');
  return found;
}
