import type { MapLink, RouteRow, Tree } from '../../shared/api/client';
import { cableOf, portName } from '../../shared/focus/focus';

/** Where packets for a prefix go from every router, drawn as a tree of shortest paths is. */
export function spread(row: RouteRow, links: MapLink[]): Tree {
  return {
    root: row.prefix,
    runs: 0,
    steps: Object.entries(row.cells).flatMap(([device, cell]) =>
      cell.nextHops.map((h) => {
        const from = `${device}.${h.port}`;
        const link = links.find((l) => l.ends.some((e) => portName(e) === cableOf(from)));
        const far = link?.kind === 'link' && link.ends.find((e) => portName(e) !== cableOf(from));
        return { from, to: far ? portName(far) : '-', distance: 0, cost: 0, area: '' };
      }),
    ),
  };
}
