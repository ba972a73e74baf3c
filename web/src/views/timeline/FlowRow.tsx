import type { FlowOutages } from '../../shared/api/client';
import { duration } from '../../shared/parts/words';
import { placeLabels } from './labels';
import { c } from './shapes';

interface Props {
  flow: FlowOutages;
  /** Its packets take the same path all the time, which is said. */
  same: boolean;
  seen: (from: number, to?: number) => boolean;
  x: (t: number) => number;
  /** The chart's edges. */
  from: number;
  to: number;
  y: number;
}

/** A flow over time: bars where packets are lost, and where they pass a device twice. */
export function FlowRow({ flow, same, seen, x, from, to, y }: Props) {
  const bars = flow.outages
    .filter((o) => seen(o.from, o.to ?? Infinity))
    .map((outage) => {
      const words = outage.to === null ? 'out ever since' : `out for ${duration(outage.to - outage.from)}`;
      const end = outage.to === null ? to : x(outage.to);
      return { outage, words, from: x(outage.from), to: end, texts: [`${words}: ${outage.cause}`, words] };
    });
  const labels = placeLabels(bars, from, to);
  return (
    <g>
      {same && bars.length === 0 && (
        <text x={from + 6} y={y - 3} style={{ fontSize: 11 }} fill={c('quiet')}>
          always arrives, past {flow.paths[0]?.devices.slice(1, -1).join(', ')}
        </text>
      )}
      {flow.looped
        .filter((o) => seen(o.from, o.to ?? Infinity))
        .map((o) => (
          <rect
            key={o.from}
            x={x(o.from)}
            width={Math.max(2, (o.to === null ? to : x(o.to)) - x(o.from))}
            y={y - 6}
            height={12}
            rx={3}
            fill={c('ochre')}
          >
            <title>packets pass a device twice and still arrive</title>
          </rect>
        ))}
      {bars.map((bar) => {
        const label = labels.get(bar);
        return (
          <g key={bar.outage.from}>
            <rect
              x={bar.from}
              width={Math.max(2, bar.to - bar.from)}
              y={y - 6}
              height={12}
              rx={3}
              fill={c('brick')}
            >
              <title>{[bar.words, ...(bar.outage.causes ?? [bar.outage.cause])].join('\n')}</title>
            </rect>
            {label && (
              <text
                x={label.x}
                y={y + 4}
                style={{ fontSize: 11 }}
                fontWeight={600}
                fill={label.inside ? c('panel') : c('brick')}
              >
                {label.text}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}
