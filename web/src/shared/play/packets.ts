import type { Flight } from '../api/client';

type Class = Flight['class'];

/** The classes of packets, in the order in which a network comes up. */
export const classes: Class[] = [
  'arp',
  'hello',
  'exchange',
  'flooding',
  'acknowledgment',
  'tcp',
  'session',
  'keepalive',
  'update',
  'notification',
  'packet',
  'flow',
];

export const classWords: Record<Class, string> = {
  arp: 'ARP',
  hello: 'hello',
  exchange: 'database exchange',
  flooding: 'LSA',
  acknowledgment: 'acknowledgment',
  tcp: 'TCP',
  session: 'OPEN',
  keepalive: 'KEEPALIVE',
  update: 'UPDATE',
  notification: 'NOTIFICATION',
  packet: 'other',
  flow: 'flow',
};

/** The tint of a class, by a name of the theme. */
export const classTint: Record<Class, string> = {
  arp: 'quiet',
  hello: 'quiet',
  exchange: 'leaf',
  flooding: 'ochre',
  acknowledgment: 'leaf',
  tcp: 'quiet',
  session: 'plum',
  keepalive: 'plum',
  update: 'plum',
  notification: 'brick',
  packet: 'ink',
  flow: 'leaf',
};

/** The shape of a packet around the origin, heading right, about ten pixels wide: each class has its own. */
export const classShape: Record<Class, { d: string; solid: boolean }> = {
  arp: { d: 'M-3,-3H3V3H-3Z', solid: false },
  hello: { d: 'M-4,0a4,4 0 1,0 8,0a4,4 0 1,0 -8,0Z', solid: false },
  exchange: { d: 'M-5,-4H5V4H-5Z', solid: false },
  flooding: { d: 'M7,0L-5,-5V5Z', solid: true },
  acknowledgment: { d: 'M-3,0a3,3 0 1,0 6,0a3,3 0 1,0 -6,0Z', solid: true },
  tcp: { d: 'M-5,-1.5H5V1.5H-5Z', solid: true },
  session: { d: 'M6,0L0,-6L-6,0L0,6Z', solid: false },
  keepalive: { d: 'M-4,0a4,4 0 1,0 8,0a4,4 0 1,0 -8,0Z', solid: false },
  update: { d: 'M6,0L0,-6L-6,0L0,6Z', solid: true },
  notification: { d: 'M-5,-5H5V5H-5Z', solid: true },
  packet: { d: 'M-3,-3H3V3H-3Z', solid: false },
  flow: { d: 'M6,0L2,-4H-6L-2,0L-6,4H2Z', solid: true },
};
