import { useEffect, useRef } from 'react';

/** Whether a key pressed now belongs to a text that is being written. */
function writing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null;
  return !!t && (t.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(t.tagName));
}

/** Calls what is bound to a key, unless somebody writes or holds a modifier. */
export function useKeys(bindings: Record<string, () => void>) {
  const current = useRef(bindings);
  useEffect(() => {
    current.current = bindings;
  });
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || writing(e)) return;
      const bound = current.current[e.key];
      if (bound) {
        e.preventDefault();
        bound();
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
