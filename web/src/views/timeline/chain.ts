import type { Chain } from '../../shared/api/client';

/** A place of a critical path on the chart: a device's row at a time. */
export interface Joint {
  device: string;
  at: number;
}

const deviceOf = (ref: string) => ref.split('/')[0] ?? ref;

/**
 * The critical path over the rows of devices: a wait stays in its row, packets go from row to row, in equal parts of
 * the time that they took together.
 */
export function jointsOf(path: Chain): Joint[] {
  const out: Joint[] = [];
  for (const l of path.links) {
    const from = path.start + l.from;
    const via = l.packets > 0 ? l.via.map(deviceOf) : [deviceOf(l.device)];
    const steps = Math.max(1, via.length - 1);
    via.forEach((device, i) => {
      const at = l.packets > 0 ? from + (l.took * i) / steps : from;
      const last = out.at(-1);
      if (last?.device !== device || last.at !== at) out.push({ device, at });
    });
    if (l.packets === 0) out.push({ device: deviceOf(l.device), at: from + l.took });
  }
  return out;
}
