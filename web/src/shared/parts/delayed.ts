import { useEffect, useState } from 'react';

/** A value, once it has stopped changing for a while. */
export function useDelayed<T>(value: T, ms: number): T {
  const [late, setLate] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLate(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return ms === 0 ? value : late;
}
