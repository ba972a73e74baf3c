import type { Neighbour } from '../../shared/api/client';
import { portName } from '../../shared/focus/focus';

/** Whom a port has as neighbours, by their states: ", Full with depot, mill; 2-Way with ford". */
export function metWords(port: string, relations: Neighbour[]): string {
  const states = new Map<string, string[]>();
  for (const n of relations) {
    const [own, far] = portName(n.a) === port ? [n.a, n.b] : [n.b, n.a];
    if (portName(own) !== port || far.absent) continue;
    states.set(own.state, [...(states.get(own.state) ?? []), far.device]);
  }
  const words = [...states].map(([state, devices]) => `${state} with ${devices.sort().join(', ')}`);
  return words.length > 0 ? `, ${words.join('; ')}` : '';
}
