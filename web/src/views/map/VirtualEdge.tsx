import { EdgeLabelRenderer, type Edge, type EdgeProps } from '@xyflow/react';
import { useCard } from './useCard';
import type { MapVirtual } from '../../shared/api/client';
import { arc } from './arc';
import { virtualBend } from './labels';
import { middleOf } from './line';
import { MapNote, boxOf, color } from './MapNote';
import { virtualWords } from './words';

export type VirtualEdgeType = Edge<
  { virtual: MapVirtual; choose: () => void; place: number | undefined },
  'virtual'
>;

/** A virtual link: a dotted arc from border router to border router, which no packet follows. */
export function VirtualEdge({ source, target, data }: EdgeProps<VirtualEdgeType>) {
  const a = useCard(source);
  const b = useCard(target);
  if (!a || !b || !data) return null;
  const { d, places } = arc(middleOf(boxOf(a)), middleOf(boxOf(b)), virtualBend);
  const at = data.place === undefined ? undefined : places[data.place];
  const { virtual } = data;
  const tone = color(virtual.up ? 'plum' : 'brick');
  return (
    <>
      <path d={d} stroke={tone} strokeWidth={1.4} strokeDasharray="2 5" fill="none" strokeLinecap="round" />
      <path
        d={d}
        stroke="none"
        pointerEvents="stroke"
        strokeWidth={14}
        fill="none"
        className="react-flow__edge-interaction"
      />
      {at && (
        <EdgeLabelRenderer>
          <MapNote at={at} style={{ background: color('paper'), color: tone, padding: '0 4px' }}>
            {virtualWords(virtual)}
          </MapNote>
        </EdgeLabelRenderer>
      )}
    </>
  );
}
