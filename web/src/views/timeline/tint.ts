import type { Wait } from '../../shared/api/client';

/** The tint of a link of a critical path: packets on their way, timers that a setting makes, and others. */
export const tint = (l: Wait) => (l.packets > 0 ? 'leaf' : l.setting ? 'plum' : 'ochre');
