import { EdgeLabelRenderer, useInternalNode, type Edge, type EdgeProps } from '@xyflow/react';
import type { MapSession } from '../../shared/api/client';
import { arc } from './arc';

export type SessionEdgeType = Edge<{ session: MapSession; choose: () => void; on: boolean }, 'session'>;

const color = (name: string) => `var(--chakra-colors-${name})`;

/** A BGP session: an arc from router to router, whole if external, dashed if internal; one that is not up says why. */
export function SessionEdge({ source, target, data }: EdgeProps<SessionEdgeType>) {
  const a = useInternalNode(source);
  const b = useInternalNode(target);
  if (!a || !b || !data) return null;
  const middle = (n: typeof a) => ({
    x: n.internals.positionAbsolute.x + (n.measured.width ?? 0) / 2,
    y: n.internals.positionAbsolute.y + (n.measured.height ?? 0) / 2,
  });
  const { session, on } = data;
  const p = middle(a);
  const q = middle(b);
  const { d, label } = arc(p, q, session.linked ? 0.16 : 0.1);
  // Between cards that are close there is room for the state only; the rest is said on approach.
  const roomy = Math.hypot(p.x - q.x, p.y - q.y) > 230 || Math.abs(p.y - q.y) > 130;
  const tone = color(session.up ? (on ? 'plum' : session.external ? 'plum' : 'leaf') : 'brick');
  return (
    <>
      <path
        d={d}
        stroke={tone}
        strokeWidth={on ? 2.6 : 1.3}
        strokeDasharray={session.external ? undefined : '5 4'}
        opacity={session.up && !on ? 0.75 : 1}
        fill="none"
        strokeLinecap="round"
        data-session-arc={`${session.a} ${session.b}`}
      />
      <path d={d} stroke="transparent" strokeWidth={12} fill="none" className="react-flow__edge-interaction">
        <title>
          {session.external ? 'external' : 'internal'} BGP session of {session.a} and {session.b}:{' '}
          {session.state}
          {session.why ? `, ${session.why}` : ''}
        </title>
      </path>
      {!session.up && (
        <EdgeLabelRenderer>
          <div
            className="map-note"
            style={{
              position: 'absolute',
              transform: `translate(-50%,-50%) translate(${label.x}px,${label.y}px)`,
              background: color('brick-soft'),
              color: tone,
              padding: '1px 5px',
              borderRadius: 4,
              zIndex: 2,
              pointerEvents: 'none',
            }}
          >
            {session.state}
            {session.why && roomy ? `: ${session.why}` : ''}
          </div>
        </EdgeLabelRenderer>
      )}
    </>
  );
}
