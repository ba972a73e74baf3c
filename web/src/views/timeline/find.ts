/** Whether an event of a device is what somebody looks for: each word is in its text or is the device's. */
export function matches(text: string, device: string, find: string): boolean {
  const words = find.toLowerCase().split(/\s+/).filter(Boolean);
  const all = `${device} ${text}`.toLowerCase();
  return words.every((w) => all.includes(w));
}
