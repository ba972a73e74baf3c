import { type Edge, type EdgeProps } from '@xyflow/react';
import { useCard } from './useCard';
import { lineBetween } from './line';
import { boxOf, color } from './MapNote';

export type WaitedEdgeType = Edge<Record<string, never>, 'waited'>;

/** A hop of what a convergence waited for: dotted, as on the timeline, over the link that packets took. */
export function WaitedEdge({ source, target }: EdgeProps<WaitedEdgeType>) {
  const a = useCard(source);
  const b = useCard(target);
  if (!a || !b) return null;
  const l = lineBetween(boxOf(a), boxOf(b), 0);
  const angle = (Math.atan2(l.y2 - l.y1, l.x2 - l.x1) * 180) / Math.PI;
  return (
    <g data-testid="waited">
      <path
        d={`M${l.x1},${l.y1}L${l.x2},${l.y2}`}
        stroke={color('ink')}
        strokeWidth={5}
        strokeDasharray="0.1 9"
        strokeLinecap="round"
        fill="none"
      />
      <path
        d="M-12,-6L0,0L-12,6Z"
        fill={color('ink')}
        transform={`translate(${l.x2},${l.y2}) rotate(${angle})`}
      />
    </g>
  );
}
