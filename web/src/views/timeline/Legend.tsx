import type { ActionDetail } from '../../shared/api/client';
import { c, shapeOf } from './shapes';

const items: [string, string][] = [
  ['detection', 'port'],
  ['adjacency', 'neighbour'],
  ['flooding', 'LSA'],
  ['spf', 'SPF wait and run'],
  ['session', 'BGP session'],
  ['updates', 'BGP UPDATE'],
  ['forwarding', 'forwarding changed'],
];

/** What the shapes mean. */
export function Legend({ rows, path = false }: { rows: ActionDetail['rows'] | undefined; path?: boolean }) {
  const used = new Set(rows?.flatMap((r) => r.events.map((e) => e.lane as string)));
  return (
    <span style={{ display: 'inline-flex', flexWrap: 'wrap', gap: 12, fontSize: 11, color: c('quiet') }}>
      {items
        .filter(([lane]) => used.has(lane))
        .map(([lane, words]) => (
          <span key={lane} style={{ display: 'inline-flex', alignItems: 'center', gap: 4 }}>
            <svg width={14} height={12} aria-hidden="true">
              <LegendMark lane={lane} />
            </svg>
            {words}
          </span>
        ))}
      {path && (
        <span style={{ display: 'inline-flex', alignItems: 'center', gap: 4 }}>
          <svg width={20} height={12} aria-hidden="true">
            <path d="M1,6H19" stroke={c('ink')} strokeWidth={2} strokeDasharray="1 4" strokeLinecap="round" />
          </svg>
          what it waited for
        </span>
      )}
    </span>
  );
}

function LegendMark({ lane }: { lane: string }) {
  const { path, fill, stroke } = shapeOf(lane);
  if (lane === 'spf') return <rect x={1} y={2} width={12} height={8} rx={2} fill={c(fill ?? 'plum')} />;
  return (
    <path
      d={path}
      transform="translate(7,6)"
      fill={fill ? c(fill) : 'none'}
      stroke={stroke ? c(stroke) : undefined}
      strokeWidth={1.5}
    />
  );
}
