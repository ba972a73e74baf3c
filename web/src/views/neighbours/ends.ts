import { refOf } from '../../shared/focus/focus';
import type { Neighbour } from '../../shared/api/client';

/** What an end of a relation is called. */
export const endName = (e: Neighbour['a']) => (e.absent ? 'nobody' : refOf(e));
