import type { InternalNode } from '@xyflow/react';
import type { CSSProperties, ReactNode } from 'react';
import type { Box, Point } from './line';

export const color = (name: string) => `var(--chakra-colors-${name})`;

/** The box of a card on the map. */
export const boxOf = (n: InternalNode): Box => ({
  ...n.internals.positionAbsolute,
  width: n.measured.width ?? 0,
  height: n.measured.height ?? 0,
});

/** A text on a line or arc of the map, with its middle at a place; clicks go through it. */
export function MapNote({ at, style, children }: { at: Point; style: CSSProperties; children: ReactNode }) {
  return (
    <div
      className="map-note"
      style={{
        position: 'absolute',
        transform: `translate(-50%,-50%) translate(${at.x}px,${at.y}px)`,
        whiteSpace: 'nowrap',
        maxWidth: 'none',
        pointerEvents: 'none',
        ...style,
      }}
    >
      {children}
    </div>
  );
}
