import { createContext, useContext } from 'react';
import type { MapData } from '../api/client';
import {
  cableOf,
  deviceOf,
  instanceOf,
  peerOf,
  portName,
  refOf,
  type Focus,
  type View,
} from '../focus/focus';

/** What something can be done to, by the name that the focus has for it: a device, a port, a session; or a segment. */
export type Thing =
  | { kind: 'device' | 'port' | 'session'; name: string }
  | { kind: 'link'; name: string /* a port of it */ }
  | { kind: 'segment'; name: string };

/** What can be done to a thing: an action, edits of the text, a place to look, or a tool that opens. */
export interface Entry {
  label: string;
  key?: string;
  act?: string;
  edits?: string[];
  look?: { view: View; focus: Partial<Focus> };
  tool?: 'probe' | 'text';
}

/** All that can be done to a thing, as it is now. The network's state decides between disable and enable, cut and mend. */
export function entriesOf(thing: Thing, map: MapData, who: string): Entry[] {
  switch (thing.kind) {
    case 'device':
      return deviceEntries(thing.name, map, who);
    case 'port':
      return portEntries(thing.name, map);
    case 'link':
      return linkEntries(thing.name, map);
    case 'session':
      return sessionEntries(thing.name);
    case 'segment':
      return [{ label: 'Remove', edits: [`remove segment ${thing.name}`] }];
  }
}

function deviceEntries(name: string, map: MapData, who: string): Entry[] {
  const d = map.devices.find((x) => x.name === name);
  const other = deviceOf(who);
  const out: Entry[] = [
    { label: 'Desk', key: 'j', look: { view: 'desk', focus: { who: name } } },
    { label: 'Its text', tool: 'text' },
    { label: 'Probe from here', key: 'p', tool: 'probe' },
  ];
  if (other && other !== name && map.devices.some((x) => x.name === other)) {
    out.push({
      label: `Flow from ${other} to here`,
      edits: [`flow ${free(`${other}-${name}`, map)} ${other} -> ${name}`],
    });
  }
  if (d)
    out.push({ label: d.enabled ? 'Disable' : 'Enable', act: `${d.enabled ? 'disable' : 'enable'} ${name}` });
  for (const i of [{ name: undefined, routerId: d?.routerId }, ...(d?.instances ?? [])]) {
    const ref = refOf({ device: name, instance: i.name });
    const where = i.name ? ` of ${i.name}` : '';
    if (speakers(map).has(ref)) {
      out.push({
        label: i.name ? `Reset the sessions${where}` : 'Reset its sessions',
        act: `reset all on ${ref}`,
      });
      out.push({ label: `Restart BGP${where}`, act: `restart bgp on ${ref}` });
    }
    const feed = map.feeds?.find((f) => f.router === ref);
    if (feed) {
      out.push(
        feed.withdrawn > 0
          ? { label: `Advertise all of the feed${where}`, act: `advertise all on ${ref}` }
          : { label: `Withdraw 30 % of the feed${where}`, act: `withdraw 30% on ${ref}` },
        { label: `Flap 30 % of the feed${where}`, act: `flap 30% on ${ref}` },
      );
    }
    if (i.routerId) out.push({ label: `Restart OSPF${where}`, act: `restart ospf on ${ref}` });
  }
  out.push({ label: 'Remove', edits: [`remove ${name}`] });
  return out;
}

/** The routers, or instances of them, that have BGP sessions. */
const speakers = (map: MapData) =>
  new Set(
    map.sessions.flatMap((s) => [
      refOf({ device: s.a, instance: s.inA }),
      ...(s.back ? [refOf({ device: s.b, instance: s.inB })] : []),
    ]),
  );

/** A name that no flow has yet. */
function free(name: string, map: MapData): string {
  const taken = new Set(map.flows.map((f) => f.name));
  let out = name;
  for (let i = 2; taken.has(out); i++) out = `${name}-${i}`;
  return out;
}

const linkOf = (port: string, map: MapData) =>
  map.links.find((l) => l.ends.some((e) => portName(e) === cableOf(port)));

function linkEntries(port: string, map: MapData): Entry[] {
  const link = linkOf(port, map);
  if (!link) return [];
  const broken = link.cut || link.ends.some((e) => e.silent);
  const faults: Entry[] = broken
    ? [{ label: 'Mend', key: 'u', act: `mend ${port}` }]
    : [
        { label: 'Cut', key: 'c', act: `cut ${port}` },
        { label: 'Silence', key: 's', act: `silence ${port}` },
        { label: `Silence what leaves ${port}`, act: `silence ${port} out` },
        { label: `Silence what reaches ${port}`, act: `silence ${port} in` },
      ];
  const gone =
    link.kind === 'segment' ? `part ${port}` : `remove link ${link.ends.map((e) => portName(e)).join(' ')}`;
  return [
    ...faults,
    { label: 'Packets', look: { view: 'packets', focus: { who: port } } },
    { label: 'Remove', edits: [gone] },
  ];
}

function portEntries(name: string, map: MapData): Entry[] {
  const end = linkOf(name, map)?.ends.find((e) => portName(e) === name);
  const down = end?.code === 'port-disabled';
  return [
    { label: 'Desk', key: 'j', look: { view: 'desk', focus: { who: name } } },
    { label: down ? 'Enable' : 'Disable', act: `${down ? 'enable' : 'disable'} ${name}` },
    ...linkEntries(name, map).filter((e) => e.label !== 'Remove'),
    { label: 'Remove', edits: [`remove ${name}`] },
  ];
}

function sessionEntries(name: string): Entry[] {
  const on = `${peerOf(name)} on ${instanceOf(name)}`;
  return [
    { label: 'Paths', look: { view: 'paths', focus: { who: name } } },
    { label: 'Neighbours', look: { view: 'neighbours', focus: { who: name } } },
    { label: 'Reset', act: `reset ${on}` },
    { label: 'Ask for its routes again', act: `resend from ${on}` },
    { label: 'Send our routes again', act: `resend to ${on}` },
    { label: 'Disable', act: `disable ${on}` },
    { label: 'Enable', act: `enable ${on}` },
    { label: 'Remove', edits: [`remove ${name}`] },
  ];
}

/** Opens the menu of a thing at a place of the window. */
export type OpenMenu = (thing: Thing, at: { x: number; y: number }) => void;

export const ThingsContext = createContext<OpenMenu>(() => undefined);

/** What opens the menu of a thing: by the right button, and by the menu key where the focus is. */
export function useThings() {
  const open = useContext(ThingsContext);
  return (thing: Thing) => (e: React.MouseEvent) => {
    e.preventDefault();
    e.stopPropagation();
    // A key has no place: the middle of what has the focus.
    const box = e.currentTarget.getBoundingClientRect();
    const at =
      e.clientX > 0 || e.clientY > 0
        ? { x: e.clientX, y: e.clientY }
        : { x: box.x + box.width / 2, y: box.y + box.height / 2 };
    open(thing, at);
  };
}
