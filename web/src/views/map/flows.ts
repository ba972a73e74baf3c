/** A flow as a choice: what is to be said of it, and in which colour. */
export interface FlowState {
  name: string;
  state: string;
  tone: 'leaf' | 'brick' | 'ochre';
}

/** With more flows than this, there is no button for each. */
const many = 12;
/** How many of many have one. */
const most = 6;

/** The flows that have a button, and whether there is a list of all: those that are amiss or moved come first. */
export function foldedOf(flows: FlowState[], shown: string): { buttons: FlowState[]; listed: boolean } {
  if (flows.length <= many) return { buttons: flows, listed: false };
  const order = ['brick', 'ochre', 'leaf'];
  const first = flows
    .filter((f) => f.name === shown || f.state !== '')
    .sort((a, b) => order.indexOf(a.tone) - order.indexOf(b.tone))
    .slice(0, most);
  const one = flows.find((f) => f.name === shown);
  return { buttons: one && !first.includes(one) ? [one, ...first.slice(0, most - 1)] : first, listed: true };
}
