const tints = ['mauve', 'ochreSoft', 'mist', 'plumSoft'];

/** The tint of an area: the backbone's is its own, others take turns by their number. */
export function areaTint(area: string): string {
  if (area === '0') return 'sage';
  const n = area.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);
  return tints[(n - 1) % tints.length] ?? 'mauve';
}

const css = (token: string) =>
  `var(--chakra-colors-${token.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)})`;

/** The background of a router's card: the tints of its areas, side by side. */
export function tinted(areas: string[]): string {
  if (areas.length === 0) return css('raised');
  const stops = areas.map((a, i) => {
    const c = css(areaTint(a));
    return `${c} ${(100 * i) / areas.length}% ${(100 * (i + 1)) / areas.length}%`;
  });
  return `linear-gradient(90deg, ${stops.join(', ')})`;
}

/** The tint of an autonomous system. */
export const asTint = (as: number): string => css(['sage', ...tints][as % (tints.length + 1)] ?? 'sage');
