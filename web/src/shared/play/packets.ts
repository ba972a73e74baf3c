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
};

/** The outline of a packet around the origin, about ten pixels wide: each class has its own. */
export function outline(c: CanvasRenderingContext2D, of: Class): 'fill' | 'stroke' {
  c.beginPath();
  const polygon = (...points: [number, number][]) => {
    points.forEach(([x, y], i) => (i === 0 ? c.moveTo(x, y) : c.lineTo(x, y)));
    c.closePath();
  };
  switch (of) {
    case 'hello':
    case 'keepalive':
      c.arc(0, 0, 4, 0, 2 * Math.PI);
      return 'stroke';
    case 'exchange':
      c.rect(-5, -4, 10, 8);
      return 'stroke';
    case 'flooding':
      polygon([7, 0], [-5, -5], [-5, 5]);
      return 'fill';
    case 'acknowledgment':
      c.arc(0, 0, 3, 0, 2 * Math.PI);
      return 'fill';
    case 'session':
      polygon([6, 0], [0, -6], [-6, 0], [0, 6]);
      return 'stroke';
    case 'update':
      polygon([6, 0], [0, -6], [-6, 0], [0, 6]);
      return 'fill';
    case 'notification':
      c.rect(-5, -5, 10, 10);
      return 'fill';
    case 'tcp':
      c.rect(-5, -1.5, 10, 3);
      return 'fill';
    default:
      c.rect(-3, -3, 6, 6);
      return 'stroke';
  }
}
