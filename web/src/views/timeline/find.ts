/** Whether an event of a device is what somebody looks for: each word is in its text or is the device's. */
export function matches(text: string, device: string, find: string): boolean {
  const words = find.toLowerCase().split(/\s+/).filter(Boolean);
  const all = `${device} ${text}`.toLowerCase();
  return words.every((w) => all.includes(w));
}

/** How many events match. */
export const foundIn = (
  rows: { device: string; events: { text: string; count: number }[] }[],
  find: string,
) => rows.reduce((n, r) => n + r.events.filter((e) => matches(e.text, r.device, find)).length, 0);
