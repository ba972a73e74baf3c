import type { MapData, MapDevice, Sketch } from '../../shared/api/client';
import { portName } from '../../shared/focus/focus';

/** What a draft adds to the map, and takes from it. */
export interface Drafted {
  devices: { device: MapDevice; at: { x: number; y: number } | undefined }[];
  segments: { name: string; at: { x: number; y: number } | undefined }[];
  /** By the cards that they join: a device's name, or "segment:" and its name. */
  edges: { id: string; from: string; to: string }[];
  /** Cards, links and ends on segments that are no longer there, by their IDs on the map. */
  gone: Set<string>;
}

const nothing: Drafted = { devices: [], segments: [], edges: [], gone: new Set() };

const deviceOf = (port: string) => port.split('.')[0] ?? '';
const pair = (a: string, b: string) => [a, b].sort().join(' ');

/** Holds the sketch of a draft against the map. */
export function draftedOf(map: MapData, sketch: Sketch | undefined): Drafted {
  if (!sketch) return nothing;
  const known = new Map(map.devices.map((d) => [d.name, d]));
  const links = new Map(
    map.links.map((l) => [l.kind === 'link' ? pair(...ends(l)) : `segment ${l.name}`, l]),
  );
  const out: Drafted = { devices: [], segments: [], edges: [], gone: new Set() };
  for (const d of sketch.devices) {
    if (known.delete(d.name)) continue;
    const device: MapDevice = {
      name: d.name,
      kind: d.kind,
      addresses: [],
      areas: d.areas,
      roles: [],
      enabled: true,
      reflector: false,
      services: [],
      ...(d.address ? { address: d.address } : {}),
      ...(d.as ? { as: d.as } : {}),
    };
    out.devices.push({ device, at: d.at });
  }
  for (const l of sketch.links) {
    if (!links.delete(pair(l.a, l.b)))
      out.edges.push({ id: `draft ${l.a} ${l.b}`, from: deviceOf(l.a), to: deviceOf(l.b) });
  }
  for (const s of sketch.segments) {
    const there = links.get(`segment ${s.name}`);
    if (!there) out.segments.push({ name: s.name, at: s.at });
    const on = new Set(there?.ends.map((e) => portName(e)));
    for (const p of s.ports)
      if (!on.delete(p))
        out.edges.push({ id: `draft ${s.name} ${p}`, from: `segment:${s.name}`, to: deviceOf(p) });
    there?.ends.forEach((e, i) => on.has(portName(e)) && out.gone.add(`${there.id}/${i}`));
    links.delete(`segment ${s.name}`);
  }
  for (const name of known.keys()) out.gone.add(name);
  for (const l of links.values()) {
    out.gone.add(l.id);
    if (l.kind === 'segment') {
      out.gone.add(`segment:${l.name ?? ''}`);
      l.ends.forEach((_, i) => out.gone.add(`${l.id}/${i}`));
    }
  }
  return out;
}

const ends = (l: MapData['links'][number]): [string, string] => [
  l.ends[0] ? portName(l.ends[0]) : '',
  l.ends[1] ? portName(l.ends[1]) : '',
];
