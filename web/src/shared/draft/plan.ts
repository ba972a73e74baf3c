/** How a change is to be made: in which order, and whether it is taken back when it does harm. */
export interface Plan {
  staged: boolean;
  order: string[];
  /** Virtual seconds between two stages. */
  pause: number;
  guard: boolean;
  message: string;
}

export const noPlan: Plan = { staged: false, order: [], pause: 30, guard: false, message: '' };

/** The order with what the change touches now: what is new comes last, what is gone goes. */
export function orderOf(plan: Plan, touched: string[]): string[] {
  const kept = plan.order.filter((n) => touched.includes(n));
  return [...kept, ...touched.filter((n) => !kept.includes(n))];
}

/** Whether two plans do the same, whatever they say of who and why. */
export const samePlan = (a: Plan, b: Plan, touched: string[]) =>
  a.guard === b.guard &&
  a.staged === b.staged &&
  (!a.staged || (a.pause === b.pause && orderOf(a, touched).join() === orderOf(b, touched).join()));
