import { EdgeLabelRenderer, type Edge, type EdgeProps } from '@xyflow/react';
import { useCard } from './useCard';
import type { MapSession } from '../../shared/api/client';
import { arc } from './arc';
import { bendOf } from './labels';
import { middleOf } from './line';
import { MapNote, boxOf, color } from './MapNote';
import { sessionWords } from './words';

export type SessionEdgeType = Edge<
  {
    session: MapSession;
    choose: () => void;
    on: boolean;
    /** Which of its places the text has, and whether it says why there. */
    text: { why: boolean; place: number | undefined };
  },
  'session'
>;

/** A BGP session: an arc from router to router, whole if external, dashed if internal; one that is not up says why. */
export function SessionEdge({ source, target, data }: EdgeProps<SessionEdgeType>) {
  const a = useCard(source);
  const b = useCard(target);
  if (!a || !b || !data) return null;
  const { session, on, text } = data;
  const { d, places } = arc(middleOf(boxOf(a)), middleOf(boxOf(b)), bendOf(session));
  const at = text.place === undefined ? undefined : places[text.place];
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
      <path
        d={d}
        stroke="none"
        pointerEvents="stroke"
        strokeWidth={12}
        fill="none"
        className="react-flow__edge-interaction"
      >
        <title>
          {session.external ? 'external' : 'internal'} BGP session of {session.a} and {session.b}:{' '}
          {session.state}
          {session.why ? `, ${session.why}` : ''}
        </title>
      </path>
      {!session.up && at && (
        <EdgeLabelRenderer>
          <MapNote
            at={at}
            style={{
              background: color('brick-soft'),
              color: tone,
              padding: '1px 5px',
              borderRadius: 4,
              zIndex: 2,
            }}
          >
            {text.why ? sessionWords(session) : session.state}
          </MapNote>
        </EdgeLabelRenderer>
      )}
    </>
  );
}
