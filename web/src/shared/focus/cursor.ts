/** Where the cursor of an editor is: the whole text, its line and column, from 1. */
export interface Cursor {
  text: string;
  line: number;
  column: number;
}

let read: (() => Cursor) | undefined;

/** Offers the cursor of an editor for as long as that is on the page; returns what ends that. */
export function offerCursor(of: () => Cursor): () => void {
  read = of;
  return () => {
    if (read === of) read = undefined;
  };
}

/** Where the cursor is, if an editor is on the page. */
export const cursorNow = () => read?.();
