import { useMemo } from 'react';
import type { LabRow } from '../../shared/api/client';
import { cardSize } from '../../views/map/graph';
import { layOut } from '../../views/map/layout';

type Drawn = NonNullable<LabRow['smallMap']>;

const width = 132;
const height = 84;
const margin = 9;

/** A lab as points and lines: enough to recognise it by. */
export function SmallMap({ map, title }: { map: Drawn; title: string }) {
  const at = useMemo(() => placesOf(map), [map]);
  return (
    <svg width={width} height={height} role="img" aria-label={`Map of ${title}`} style={{ flexShrink: 0 }}>
      {map.edges.map(([a, b], i) => (
        <line
          key={i}
          x1={at[a ?? 0]?.x}
          y1={at[a ?? 0]?.y}
          x2={at[b ?? 0]?.x}
          y2={at[b ?? 0]?.y}
          stroke="var(--chakra-colors-quiet)"
          strokeWidth={1}
          opacity={0.7}
        />
      ))}
      {map.nodes.map((n, i) => {
        const p = at[i] ?? { x: 0, y: 0 };
        if (n.kind === 'segment')
          return (
            <rect
              key={i}
              x={p.x - 4}
              y={p.y - 2}
              width={8}
              height={4}
              rx={2}
              fill="var(--chakra-colors-quiet)"
            />
          );
        return n.kind === 'host' ? (
          <circle
            key={i}
            cx={p.x}
            cy={p.y}
            r={2.5}
            fill="var(--chakra-colors-panel)"
            stroke="var(--chakra-colors-quiet)"
          />
        ) : (
          <rect
            key={i}
            x={p.x - 4.5}
            y={p.y - 3.5}
            width={9}
            height={7}
            rx={2}
            fill="var(--chakra-colors-plum)"
          />
        );
      })}
    </svg>
  );
}

/** The places of the points in the picture: those of the text if it gives all, else those of the map. */
export function placesOf(map: Drawn): { x: number; y: number }[] {
  const id = (i: number) => String(i);
  const laid =
    map.nodes.every((n) => n.x !== undefined && n.y !== undefined) ||
    layOut({
      cards: map.nodes.map((n, i) => ({ id: id(i), ...cardSize[n.kind] })),
      edges: map.edges.map(([a, b]) => [
        id(a ?? 0),
        id(b ?? 0),
        isSegment(map, a) || isSegment(map, b) ? 0.52 : 1,
      ]),
    });
  const raw = map.nodes.map((n, i) => {
    if (laid === true) return { x: n.x ?? 0, y: n.y ?? 0 };
    const p = laid[id(i)] ?? { x: 0, y: 0 };
    const size = cardSize[n.kind];
    return { x: p.x + size.width / 2, y: p.y + size.height / 2 };
  });
  const xs = raw.map((p) => p.x);
  const ys = raw.map((p) => p.y);
  const [left, top] = [Math.min(...xs), Math.min(...ys)];
  const [wide, high] = [Math.max(...xs) - left, Math.max(...ys) - top];
  const scale = Math.min(
    (width - 2 * margin) / Math.max(1, wide),
    (height - 2 * margin) / Math.max(1, high),
    0.6,
  );
  return raw.map((p) => ({
    x: width / 2 + (p.x - left - wide / 2) * scale,
    y: height / 2 + (p.y - top - high / 2) * scale,
  }));
}

const isSegment = (map: Drawn, i: number | undefined) => map.nodes[i ?? 0]?.kind === 'segment';
