import type { MapData, Path } from '../../shared/api/client';
import { cardSize, crossings, offsetsOf, segmentId } from './graph';
import type { Places } from './layout';
import { arc } from './arc';
import { baysOf, bendOf, placer, sizeOf } from './labels';
import { costPlaces, lineBetween, middleOf, reversed, type Box } from './line';
import { regions } from './region';

export const escape = (s: string) =>
  s.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('"', '&quot;');

/** The boxes of cards and pills, by their IDs. */
export function boxesOf(map: MapData, places: Places): Map<string, Box> {
  const box = (id: string, size: { width: number; height: number }) => ({
    ...(places[id] ?? { x: 0, y: 0 }),
    ...size,
  });
  return new Map([
    ...map.devices.map((d) => [d.name, box(d.name, cardSize[d.kind])] as const),
    ...map.links
      .filter((l) => l.kind === 'segment')
      .map((l) => [segmentId(l), box(segmentId(l), cardSize.segment)] as const),
  ]);
}

/** The map as an SVG document: the same lines and cards, in the light colours; over is drawn on top. */
export function mapSvg(map: MapData, places: Places, path: Path | undefined, over = ''): string {
  const boxes = boxesOf(map, places);
  const offsets = offsetsOf(map.links);
  const bays = map.devices.flatMap((d) => baysOf(d, boxes.get(d.name), 1));
  const put = placer([...boxes.values(), ...bays]);
  const taken = new Map(path ? crossings(map, path).map((c) => [c.id, c]) : []);
  const out: string[] = regions(map, places).map(
    (r) =>
      `<g transform="translate(${r.x},${r.y})"><path d="${r.d}" fill="#e9e4d4" fill-opacity="0.6" stroke="#e3dccb"/>` +
      `<text x="${r.name.x}" y="${r.name.y}" font-size="11" font-weight="650" fill="#655b67">AS ${r.as}</text></g>`,
  );
  const line = (id: string, from: string, to: string, broken: boolean, costs: (number | undefined)[]) => {
    const a = boxes.get(from);
    const b = boxes.get(to);
    if (!a || !b) return;
    const l = lineBetween(a, b, offsets.get(id) ?? 0);
    const c = taken.get(id);
    const stroke = c ? (c.lost ? '#a03a29' : '#466c35') : broken ? '#a03a29' : '#655b67';
    out.push(
      `<line x1="${l.x1}" y1="${l.y1}" x2="${l.x2}" y2="${l.y2}" stroke="${stroke}" stroke-width="${c ? 3 : 1.4}"${broken || c?.lost ? ' stroke-dasharray="7 6"' : ''}/>`,
    );
    [l, reversed(l)].forEach((x, i) => {
      const words = String(costs[i] ?? '');
      const places = costPlaces(x);
      const at = words ? places[put(places, sizeOf(words, 1, false)) ?? -1] : undefined;
      if (at)
        out.push(
          `<text x="${at.x}" y="${at.y}" font-size="11" fill="#655b67" text-anchor="middle">${words}</text>`,
        );
    });
  };
  for (const l of map.links) {
    const [a, b] = l.ends;
    if (l.kind === 'segment')
      l.ends.forEach((e, i) => line(`${l.id}/${i}`, segmentId(l), e.device, !e.up, []));
    else if (a && b) line(l.id, a.device, b.device, l.cut || a.silent || b.silent || !a.up, [a.cost, b.cost]);
  }
  for (const s of map.sessions) {
    const a = boxes.get(s.a);
    const b = boxes.get(s.b);
    if (!a || !b) continue;
    const { d } = arc(middleOf(a), middleOf(b), bendOf(s));
    const tone = s.up ? (s.external ? '#6d2f57' : '#466c35') : '#a03a29';
    out.push(
      `<path d="${d}" fill="none" stroke="${tone}" stroke-width="1.3"${s.external ? '' : ' stroke-dasharray="5 4"'}/>`,
    );
  }
  for (const d of map.devices) {
    const b = boxes.get(d.name);
    if (!b) continue;
    out.push(
      `<rect x="${b.x}" y="${b.y}" width="${b.width}" height="${b.height}" rx="${d.kind === 'host' ? 14 : 6}" fill="#fff" stroke="#e3dccb"/>`,
      `<text x="${b.x + 8}" y="${b.y + 17}" font-size="13" font-weight="650" fill="#241d26">${escape(d.name)}</text>`,
      `<text x="${b.x + 8}" y="${b.y + 33}" font-size="11" font-family="monospace" fill="#655b67">${escape(d.address ?? '')}</text>`,
    );
  }
  for (const b of bays)
    out.push(
      `<path d="M${b.x},${b.y}v${b.height - 4}q0,4 4,4h${b.width - 8}q4,0 4,-4v-${b.height - 4}" fill="#fff" stroke="#e3dccb"/>`,
      `<text x="${b.x + b.width / 2}" y="${b.y + 12}" font-size="11" text-anchor="middle" fill="#655b67">${escape(b.name)}</text>`,
    );
  for (const l of map.links.filter((x) => x.kind === 'segment')) {
    const b = boxes.get(segmentId(l));
    if (!b) continue;
    out.push(
      `<rect x="${b.x}" y="${b.y}" width="${b.width}" height="${b.height}" rx="11" fill="#f1ebdc" stroke="#e3dccb"/>`,
      `<text x="${b.x + b.width / 2}" y="${b.y + 15}" font-size="11" text-anchor="middle" fill="#655b67">${escape(l.name ?? '')}</text>`,
    );
  }
  const all = [...boxes.values(), ...regions(map, places)];
  const x = Math.min(...all.map((b) => b.x)) - 20;
  const y = Math.min(...all.map((b) => b.y)) - 20;
  const w = Math.max(...all.map((b) => b.x + b.width)) + 20 - x;
  const h = Math.max(...all.map((b) => b.y + b.height)) + 20 - y;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="${x} ${y} ${w} ${h}" width="${w}" height="${h}" font-family="Inter, sans-serif"><rect x="${x}" y="${y}" width="${w}" height="${h}" fill="#f8f4ea"/>${out.join('')}${over}</svg>\n`;
}
