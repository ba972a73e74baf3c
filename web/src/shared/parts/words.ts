/** Seconds in words: "0.056 s", "39.1 s", "4 min 12 s". */
export function duration(s: number): string {
  const a = Math.abs(s);
  if (a >= 3600) return `${Math.floor(s / 3600)} h ${Math.floor((s % 3600) / 60)} min`;
  if (a >= 120) return `${Math.floor(s / 60)} min ${Math.floor(s % 60)} s`;
  if (a >= 10) return `${s.toFixed(1)} s`;
  if (a >= 0.001 || a === 0) return `${trim(s.toFixed(3))} s`;
  return `${trim((s * 1e6).toFixed(1))} µs`;
}

const trim = (s: string) => (s.includes('.') ? s.replace(/0+$/, '').replace(/\.$/, '') : s);

/** A moment of virtual time, exact to the microsecond. */
export const exact = (s: number) => `${s.toFixed(6)} s`;

export const plural = (n: number, what: string, many = `${what}s`) => `${n} ${n === 1 ? what : many}`;

/** Why an action was done, as its author said; of a change that the lab took back, the harm it did. */
export const orderWords = (a: { message?: string; origin?: 'reverted' }) =>
  a.origin === 'reverted' ? `Taken back automatically: ${a.message ?? ''}` : (a.message ?? '');

/** What is said of checks of which none fails. */
export const allPass = (checks: number) => (checks === 1 ? 'The check passes' : `All ${checks} checks pass`);

/** A count that fits beside the name of a view. */
export const few = (n: number) => (n > 999 ? '999+' : n);
