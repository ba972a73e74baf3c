import { replaceEqualDeep } from '@tanstack/react-query';
import { useState } from 'react';

/**
 * A value of which each part that is as it was before is the same object as before: what shows only that part is not drawn
 * anew. Queries do this for one moment; this does it from moment to moment.
 */
export function useSame<T>(next: T): T {
  const [kept, setKept] = useState(next);
  const same = kept === next ? kept : replaceEqualDeep(kept, next);
  if (same !== kept) setKept(same);
  return same;
}
