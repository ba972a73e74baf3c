import { type Edge, type EdgeProps } from '@xyflow/react';
import { useCard } from './useCard';
import { lineBetween } from './line';

export type DraftEdgeType = Edge<Record<string, unknown>, 'draft'>;

/** A link that is only in the draft. */
export function DraftEdge({ source, target }: EdgeProps<DraftEdgeType>) {
  const a = useCard(source);
  const b = useCard(target);
  if (!a || !b) return null;
  const box = (n: typeof a) => ({
    ...n.internals.positionAbsolute,
    width: n.measured.width ?? 0,
    height: n.measured.height ?? 0,
  });
  const l = lineBetween(box(a), box(b), 0);
  return (
    <path
      d={`M${l.x1},${l.y1}L${l.x2},${l.y2}`}
      stroke="var(--chakra-colors-plum)"
      strokeWidth={1.8}
      strokeDasharray="6 5"
      fill="none"
      data-draft="link"
    />
  );
}
