import { duration } from '../../shared/parts/words';
import type { LaneEvent } from './lanes';

/** A colour of the theme, as styles name it. */
export const c = (name: string) => `var(--chakra-colors-${name})`;

/** The shape of an event around its place, and its colours: each lane has its own, so that colour is never alone. */
export interface Shape {
  path: string;
  fill?: string;
  stroke?: string;
}

const shapes: Record<string, Shape> = {
  detection: { path: 'M-4,-4h8v8h-8Z', fill: 'brick' },
  adjacency: { path: 'M0,-5L5,4H-5Z', fill: 'quiet' },
  session: { path: 'M0,5L5,-4H-5Z', fill: 'plum' },
  updates: { path: 'M3.5,0a3.5,3.5 0 1 1 -7,0a3.5,3.5 0 1 1 7,0Z', fill: 'panel', stroke: 'plum' },
  flooding: { path: 'M4,0a4,4 0 1 1 -8,0a4,4 0 1 1 8,0Z', fill: 'ochre' },
  spf: { path: 'M0,-4h3v8h-3Z', fill: 'plum' },
  forwarding: { path: 'M0,-6L6,0L0,6L-6,0Z', fill: 'leaf', stroke: 'panel' },
};

export const shapeOf = (lane: string): Shape => shapes[lane] ?? { path: 'M-1,-5h2v10h-2Z', fill: 'quiet' };

/** An event in words, with the time since its action began. */
export const eventWords = (e: LaneEvent, start: number, by: 'device' | 'protocol' | 'flow') => {
  const lines = e.text.split('\n');
  return [
    `${duration(e.at - start)}: ${by === 'protocol' ? `${e.device}, ` : ''}${lines[0] ?? ''}`,
    ...lines.slice(1),
    ...(e.count > lines.length ? [`and ${e.count - lines.length} more`] : []),
  ].join('\n');
};
