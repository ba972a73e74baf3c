import { useEffect, useRef } from 'react';

/** Whether a key pressed now belongs to a text that is being written. */
function writing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null;
  if (t instanceof HTMLInputElement)
    return !['checkbox', 'radio', 'button', 'submit', 'range'].includes(t.type);
  return !!t && (t.isContentEditable || ['TEXTAREA', 'SELECT'].includes(t.tagName));
}

/** The key with its modifiers: "Ctrl+Shift+z"; the command key counts as Ctrl. */
const pressed = (e: KeyboardEvent) =>
  e.ctrlKey || e.metaKey ? `Ctrl+${e.shiftKey ? 'Shift+' : ''}${e.key.toLowerCase()}` : e.key;

/** Puts the cursor into the field that it is given to, when that appears. */
export function useCursor<T extends HTMLElement>() {
  const field = useRef<T>(null);
  useEffect(() => {
    field.current?.focus();
  }, []);
  return field;
}

/** Keys that mean the same while somebody writes. */
const always = ['Ctrl+Shift+enter', 'F1'];

/** Calls what is bound to a key, unless somebody writes. */
export function useKeys(bindings: Record<string, () => void>) {
  const current = useRef(bindings);
  useEffect(() => {
    current.current = bindings;
  });
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const key = pressed(e);
      if (e.altKey || e.defaultPrevented || (writing(e) && !always.includes(key))) return;
      const bound = current.current[key];
      if (bound) {
        e.preventDefault();
        bound();
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
