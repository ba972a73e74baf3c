import { useEffect, useRef } from 'react';

/** Whether a key pressed now belongs to a text that is being written. */
function writing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null;
  return !!t && (t.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(t.tagName));
}

/** The key with its modifiers: "Ctrl+Shift+z"; the command key counts as Ctrl. */
const pressed = (e: KeyboardEvent) =>
  e.ctrlKey || e.metaKey ? `Ctrl+${e.shiftKey ? 'Shift+' : ''}${e.key.toLowerCase()}` : e.key;

/** Calls what is bound to a key, unless somebody writes. */
export function useKeys(bindings: Record<string, () => void>) {
  const current = useRef(bindings);
  useEffect(() => {
    current.current = bindings;
  });
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.altKey || writing(e)) return;
      const bound = current.current[pressed(e)];
      if (bound) {
        e.preventDefault();
        bound();
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
