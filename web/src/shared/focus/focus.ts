import { useCallback, useMemo } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';

/** What all views look at: who, where to, when. It lives in the address, so that a view can be linked. */
export interface Focus {
  /** A device, a port ("viaduct.e1"), a session ("viaduct/192.0.2.2"), or '' for all. */
  who: string;
  /** A prefix, an address, a flow ("flow tickets"), or '' for everything. */
  to: string;
  /** A moment: now, before-2, after-2, seconds of virtual time, or a name. */
  when: string;
  /** An earlier moment that it is compared with, '' for none. */
  since: string;
}

export const views = [
  { name: 'map', title: 'Map', key: 'm' },
  { name: 'desk', title: 'Desk', key: 'j' },
  { name: 'text', title: 'Text', key: 't' },
  { name: 'ports', title: 'Ports', key: 'o' },
  { name: 'neighbours', title: 'Neighbours', key: 'n' },
  { name: 'routes', title: 'Routes', key: 'r' },
  { name: 'paths', title: 'Paths', key: 'w' },
  { name: 'policies', title: 'Policies', key: 'b' },
  { name: 'database', title: 'Database', key: 'd' },
  { name: 'messages', title: 'Messages', key: 'g' },
  { name: 'packets', title: 'Packets', key: 'x' },
  { name: 'timeline', title: 'Timeline', key: 'l' },
  { name: 'checks', title: 'Checks', key: 'k' },
  { name: 'failures', title: 'Failures', key: 'v' },
] as const;

export type View = (typeof views)[number]['name'];

/** The device of a focus: "viaduct" of "viaduct.e1" and of "viaduct/192.0.2.2". */
export const deviceOf = (who: string) => who.split(/[./]/)[0] ?? '';

const isAddress = (word: string | undefined) => /^\d+(\.\d+){3}$/.test(word ?? '');

/** The peer's address of a session in focus, '' if none is: of "viaduct/192.0.2.2" and of "junction/ferry/10.70.0.2". */
export const peerOf = (who: string) => {
  const last = who.split('/').at(-1) ?? '';
  return who.includes('/') && isAddress(last) ? last : '';
};

/** The routing instance of a focus: "junction/ferry", or the device for main. */
export const instanceOf = (who: string) => {
  const [, name] = who.split('/');
  return name === undefined || isAddress(name) ? deviceOf(who) : `${deviceOf(who)}/${name}`;
};

/** A routing instance as it is named: "junction/ferry", or the device for main. */
export const refOf = (e: { device: string; instance?: string | undefined }) =>
  e.instance ? `${e.device}/${e.instance}` : e.device;

/** A session as one of its ends names it. */
export const sessionOf = (e: { device: string; instance?: string | undefined }, peer: string) =>
  `${refOf(e)}/${peer}`;

/** A port's name: "viaduct.e1"; a host is named for its only port, and what is on no port for its device. */
export const portName = (e: { device: string; port?: string | undefined }) =>
  e.port === undefined || e.port === 'nic' ? e.device : `${e.device}.${e.port}`;

/** A port as the cable knows it: a sub-port ("viaduct.e1.10") is on the cable of its port. */
export const cableOf = (port: string) => port.split('.').slice(0, 2).join('.');

export function readFocus(search: URLSearchParams): Focus {
  const [first = 'now', second] = (search.get('when') ?? 'now').split('..');
  const when = second ?? first;
  return {
    who: search.get('who') ?? '',
    to: search.get('to') ?? '',
    when: when || 'now',
    since: second === undefined ? '' : first,
  };
}

export function writeFocus(f: Focus): string {
  const out = new URLSearchParams();
  if (f.who) out.set('who', f.who);
  if (f.to) out.set('to', f.to);
  if (f.since) out.set('when', `${f.since}..${f.when || 'now'}`);
  else if (f.when && f.when !== 'now') out.set('when', f.when);
  const s = out.toString();
  return s ? `?${s}` : '';
}

/** What the address says now: a key pressed right behind another must not work on what was on the page before. */
const here = () => ({
  view: location.pathname.split('/')[3] ?? 'map',
  focus: readFocus(new URLSearchParams(location.search)),
});

/** A focus with a change: another moment alone ends a comparison. */
const changed = (f: Focus, change: Partial<Focus>): Focus => ({
  ...f,
  ...('when' in change ? { since: '' } : {}),
  ...change,
});

/** The lab, the view and the focus of the page, and the ways to change them. */
export function useFocus() {
  const { id = '', view = 'map' } = useParams();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const focus = useMemo(() => readFocus(search), [search]);
  const set = useCallback(
    (change: Partial<Focus>) =>
      navigate(`/lab/${id}/${here().view}${writeFocus(changed(here().focus, change))}`, {
        replace: 'when' in change,
      }),
    [id, navigate],
  );
  const show = useCallback(
    (v: View, change: Partial<Focus> = {}) =>
      navigate(`/lab/${id}/${v}${writeFocus(changed(here().focus, change))}`),
    [id, navigate],
  );
  return { id, view: view as View, focus, set, show };
}
