import { EdgeLabelRenderer, useInternalNode, type Edge, type EdgeProps } from '@xyflow/react';
import type { MapVirtual } from '../../shared/api/client';
import { arc } from './arc';
import { virtualBend } from './labels';
import { virtualWords } from './words';

export type VirtualEdgeType = Edge<
  { virtual: MapVirtual; choose: () => void; place: number | undefined },
  'virtual'
>;

const color = (name: string) => `var(--chakra-colors-${name})`;

/** A virtual link: a dotted arc from border router to border router, which no packet follows. */
export function VirtualEdge({ source, target, data }: EdgeProps<VirtualEdgeType>) {
  const a = useInternalNode(source);
  const b = useInternalNode(target);
  if (!a || !b || !data) return null;
  const middle = (n: typeof a) => ({
    x: n.internals.positionAbsolute.x + (n.measured.width ?? 0) / 2,
    y: n.internals.positionAbsolute.y + (n.measured.height ?? 0) / 2,
  });
  const p = middle(a);
  const q = middle(b);
  const { d, places } = arc(p, q, virtualBend);
  const at = data.place === undefined ? undefined : places[data.place];
  const { virtual } = data;
  const tone = color(virtual.up ? 'plum' : 'brick');
  return (
    <>
      <path d={d} stroke={tone} strokeWidth={1.4} strokeDasharray="2 5" fill="none" strokeLinecap="round" />
      <path
        d={d}
        stroke="transparent"
        strokeWidth={14}
        fill="none"
        className="react-flow__edge-interaction"
      />
      {at && (
        <EdgeLabelRenderer>
          <div
            className="map-note"
            style={{
              position: 'absolute',
              transform: `translate(-50%,-50%) translate(${at.x}px,${at.y}px)`,
              background: color('paper'),
              color: tone,
              padding: '0 4px',
              whiteSpace: 'nowrap',
              maxWidth: 'none',
              pointerEvents: 'none',
            }}
          >
            {virtualWords(virtual)}
          </div>
        </EdgeLabelRenderer>
      )}
    </>
  );
}
