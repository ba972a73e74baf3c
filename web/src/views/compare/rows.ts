import type { Comparison, Difference, Section } from '../../shared/api/client';
import { deviceOf, type Focus, type View } from '../../shared/focus/focus';
import { matches } from '../routes/match';

/** The sections of a comparison that belong to a view. */
export const sectionsOf: Partial<Record<View, string[]>> = {
  map: ['flows', 'neighbours'],
  ports: ['ports'],
  neighbours: ['neighbours'],
  routes: ['routes'],
  paths: ['sent', 'paths', 'received'],
  database: ['database'],
};

export const titles: Record<string, string> = {
  flows: 'Flows',
  neighbours: 'Neighbours',
  sent: 'Advertisements',
  routes: 'Routes',
  paths: 'Chosen paths',
  received: 'Received paths',
  database: 'Database',
  ports: 'Ports',
};

/** Words and colour of a difference: what came, went, moved or changed, and whether that is good. */
export const tone = (r: Difference) =>
  r.weight === 'worse' ? 'brick' : r.weight === 'better' ? 'leaf' : 'ochre';

/** Whether a difference is about what is in focus. */
export function inFocus(r: Difference, focus: Focus): boolean {
  const who = deviceOf(focus.who);
  if (who && r.device !== who && r.other !== who) return false;
  if (focus.to === '') return true;
  if (focus.to.startsWith('flow ')) return r.section !== 'flows' || r.subject === focus.to.slice(5);
  return !/^\d+\.\d+\.\d+\.\d+/.test(r.subject) || matches(r.subject, focus.to);
}

export function sectionsFor(c: Comparison, view: View): Section[] {
  const names = sectionsOf[view] ?? [];
  return names.flatMap((n) => c.sections.find((s) => s.name === n) ?? []);
}
