import type { AreaOf, LSA, Neighbour, Port, Process } from '../api/client';
import { portName, refOf } from '../focus/focus';

/** A server that has some adjacencies and sessions, and answers as ours does. */
export const neighboursOf = (all: Neighbour[]) => (q: URLSearchParams) => {
  const devices = (q.get('device') ?? '').split(',').filter(Boolean);
  const mine = all.filter(
    (n) => devices.length === 0 || devices.includes(n.a.device) || devices.includes(n.b.device),
  );
  const found = mine.filter(
    (n) =>
      (!q.get('wrong') || !n.up || n.reasons.length > 0) &&
      (!q.get('down') || !n.up) &&
      (!q.get('protocol') || n.protocol === q.get('protocol')) &&
      `${portName(n.a)} ${portName(n.b)}`.includes(q.get('find') ?? ''),
  );
  if (q.get('sort') === 'since') found.sort((a, b) => b.since - a.since);
  const of = (protocol: string) => mine.filter((n) => n.protocol === protocol);
  const offset = Number(q.get('offset') ?? 0);
  return {
    neighbours: found.slice(offset, offset + (Number(q.get('limit') ?? 0) || found.length)),
    offset,
    found: found.length,
    adjacencies: of('ospf').length,
    full: of('ospf').filter((n) => n.state === 'Full').length,
    twoWay: of('ospf').filter((n) => n.up && n.state === '2-Way').length,
    sessions: of('bgp').length,
    established: of('bgp').filter((n) => n.up).length,
    down: mine.filter((n) => !n.up).length,
  };
};

/** A server that has some ports and processes. */
export const portsOf = (all: Port[], processes: Process[]) => (q: URLSearchParams) => {
  const devices = (q.get('device') ?? '').split(',').filter(Boolean);
  const mine = all.filter((p) => devices.length === 0 || devices.includes(p.device));
  const matching = mine.filter(
    (p) =>
      (q.get('only') !== 'ospf' || p.ospf) &&
      (q.get('only') !== 'down' || !p.up) &&
      `${portName(p)} ${p.address ?? ''}`.includes(q.get('find') ?? ''),
  );
  const owners = [...new Set(matching.map(refOf))];
  const offset = Number(q.get('offset') ?? 0);
  const seen = owners.slice(offset, offset + (Number(q.get('limit') ?? 0) || owners.length));
  return {
    ports: matching.filter((p) => seen.includes(refOf(p))),
    processes: processes.filter((p) => seen.includes(p.device)),
    offset,
    found: owners.length,
    matching: matching.length,
    all: mine.length,
    up: mine.filter((p) => p.up).length,
    ospf: mine.filter((p) => p.ospf).length,
  };
};

/** A server that has the databases of some areas; LSAs are found by the beginning of what they announce. */
export const databaseOf = (areas: (Omit<AreaOf, 'lsas'> & { lsas: LSA[] })[]) => (q: URLSearchParams) => {
  const shown = Math.max(
    0,
    areas.findIndex((a) => a.area === q.get('area')),
  );
  const network = (q.get('to') ?? '').split('.').slice(0, 2).join('.');
  const mine = (areas[shown]?.lsas ?? []).filter(
    (l) =>
      (!q.get('device') || l.device === q.get('device')) &&
      l.prefixes.concat('').some((p) => p.startsWith(network)) &&
      `${l.id} ${l.device} ${l.says}`.includes(q.get('find') ?? ''),
  );
  const found = mine.filter((l) => !q.get('type') || l.type === q.get('type'));
  const offset = Number(q.get('offset') ?? 0);
  return {
    areas: areas.map((a) => ({ ...a, lsas: a.lsas.length })),
    shown,
    types: [...new Set(mine.map((l) => l.type))],
    lsas: found.slice(offset, offset + (Number(q.get('limit') ?? 0) || found.length)),
    offset,
    found: found.length,
  };
};
