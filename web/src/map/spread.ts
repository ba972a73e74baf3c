import type { RouteRow, Tree } from '../api/client';

/** Where packets for a prefix go from every router, drawn as a tree of shortest paths is. */
export function spread(row: RouteRow): Tree {
  return {
    root: row.prefix,
    runs: 0,
    steps: Object.entries(row.cells).flatMap(([device, cell]) =>
      cell.nextHops.map((h) => ({ from: `${device}.${h.port}`, to: '-', distance: 0, cost: 0, area: '' })),
    ),
  };
}
