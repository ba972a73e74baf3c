import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import type { ActionDetail, Chain } from '../../shared/api/client';
import { duration } from '../../shared/parts/words';
import { jointsOf, type Joint } from './chain';
import { matches } from './find';
import { placeLabels } from './labels';
import { makeScale, ticks } from './scale';
import { moved, tickWords, zoomed, type Window } from './zoom';

const c = (name: string) => `var(--chakra-colors-${name})`;
const left = 116;
const right = 20;
const rowHeight = 22;
const top = 16;

interface Props {
  detail: ActionDetail;
  /** The time in focus, if it lies in this action. */
  at: number | undefined;
  /** Called while the time is dragged. */
  drag: (t: number) => void;
  device: string;
  choose: (device: string) => void;
  maxRows: number;
  /** What the convergence waited for, drawn over the rows. */
  path?: Chain | undefined;
  /** What somebody looks for: events that do not match are faint. */
  find?: string;
}

/** One action over time: events and forwarding changes in one row per device, outages of flows as bars. */
export function Chart({ detail: d, at, drag, device, choose, maxRows, path, find = '' }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  useEffect(() => {
    if (!host.current) return;
    const watch = new ResizeObserver((e) => setWidth(e[0]?.contentRect.width ?? 800));
    watch.observe(host.current);
    return () => watch.disconnect();
  }, []);

  const flows = d.flows.filter((f) => f.outages.length > 0 || f.looped.length > 0);
  const rows = d.rows.slice(0, maxRows);
  // What is looked at, if it is not all of the action.
  const [looked, setLooked] = useState<Window & { seq: number }>();
  const part = looked?.seq === d.seq ? looked : undefined;
  const { scale, whole } = useMemo(() => {
    const times = d.rows.flatMap((r) =>
      r.events.flatMap((e) => (e.until === undefined ? [e.at] : [e.at, e.until])),
    );
    const outs = d.flows.flatMap((f) =>
      f.outages.flatMap((o) => (o.to === null ? [o.from] : [o.from, o.to])),
    );
    const last = Math.max(d.start, ...times, ...outs);
    const room = Math.min(Math.max((last - d.start) * 0.06, 0.01), 0.2);
    const all = {
      from: Math.min(d.start, ...outs) - room * 0.2,
      to: Math.min(last + room, Math.max(d.end, last + room)),
    };
    const { from, to } = part ?? all;
    return { whole: all, scale: makeScale(from, to, [d.start, ...times, ...outs]) };
  }, [d, part]);
  const seen = (from: number, to = from) => to >= scale.start && from <= scale.end;
  const zoom = (at: number, factor: number) => {
    // What is folded stays small while one looks closer.
    const share = 1 / factor;
    const low = scale.place(at) * (1 - share);
    setLooked({
      seq: d.seq,
      ...(factor > 1
        ? { from: scale.time(low), to: scale.time(low + share) }
        : zoomed(whole, { from: scale.start, to: scale.end }, at, factor)),
    });
  };
  const pan = (share: number) =>
    setLooked({ seq: d.seq, ...moved(whole, { from: scale.start, to: scale.end }, share) });
  const middle = () => (at !== undefined && seen(at) ? at : scale.time(0.5));

  const inner = Math.max(100, width - left - right);
  const x = (t: number) => left + scale.place(t) * inner;
  const height = top + (rows.length + flows.length) * rowHeight + 22;
  const timeAt = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    return scale.time(Math.min(1, Math.max(0, (e.clientX - box.left - left) / inner)));
  };
  const y = (i: number) => top + i * rowHeight + rowHeight / 2;
  const outageBars = (outages: (typeof flows)[number]['outages']) => {
    const bars = outages.map((outage) => {
      const words = outage.to === null ? 'out ever since' : `out for ${duration(outage.to - outage.from)}`;
      const to = outage.to === null ? width - right : x(outage.to);
      return { outage, words, from: x(outage.from), to, texts: [`${words}: ${outage.cause}`, words] };
    });
    const labels = placeLabels(bars, left, width - right);
    return bars.map((bar) => ({ bar, label: labels.get(bar) }));
  };
  const axis = ticks(scale, d.start, Math.max(3, Math.floor(inner / 110)));
  const words = tickWords(axis, duration);
  const plot = useRef<SVGSVGElement>(null);
  const wheel = useRef<(e: WheelEvent) => void>(undefined);
  useEffect(() => {
    wheel.current = (e) => {
      const box = plot.current?.getBoundingClientRect();
      if (!box) return;
      if (e.ctrlKey || e.metaKey) {
        e.preventDefault();
        zoom(
          scale.time(Math.min(1, Math.max(0, (e.clientX - box.left - left) / inner))),
          e.deltaY < 0 ? 1.4 : 1 / 1.4,
        );
      } else if (part && (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))) {
        e.preventDefault();
        pan(((e.deltaX || e.deltaY) / inner) * 0.8);
      }
    };
  });
  useEffect(() => {
    const svg = plot.current;
    const turn = (e: WheelEvent) => wheel.current?.(e);
    // A listener of React could not keep the page from scrolling.
    svg?.addEventListener('wheel', turn, { passive: false });
    return () => svg?.removeEventListener('wheel', turn);
  }, []);
  return (
    <div ref={host} style={{ position: 'relative' }}>
      {/* Under the names, where no tick stands. */}
      <span style={{ position: 'absolute', left: 4, bottom: 0, display: 'inline-flex', gap: 2 }}>
        <Small name="Zoom in" onClick={() => zoom(middle(), 2)}>
          +
        </Small>
        {part && (
          <>
            <Small name="Zoom out" onClick={() => zoom(middle(), 0.5)}>
              −
            </Small>
            <Small name="The whole action" onClick={() => setLooked(undefined)}>
              all
            </Small>
          </>
        )}
      </span>
      <svg
        ref={plot}
        tabIndex={0}
        onKeyDown={(e) => {
          const act = {
            '+': () => zoom(middle(), 2),
            '-': () => zoom(middle(), 0.5),
            ArrowLeft: () => pan(-0.2),
            ArrowRight: () => pan(0.2),
            Home: () => setLooked(undefined),
          }[e.key];
          if (!act) return;
          e.preventDefault();
          act();
        }}
        width={width}
        height={height}
        role="img"
        aria-label={`Timeline of ${d.action}: ${d.summary}`}
        style={{ display: 'block', cursor: 'col-resize', touchAction: 'none', userSelect: 'none' }}
        onPointerDown={(e) => {
          if (e.nativeEvent.offsetX < left) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          drag(timeAt(e));
        }}
        onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && drag(timeAt(e))}
      >
        {axis.map((t, i) => (
          <g key={t}>
            <line x1={x(t + d.start)} x2={x(t + d.start)} y1={top - 6} y2={height - 18} stroke={c('line')} />
            <text
              x={x(t + d.start)}
              y={height - 5}
              style={{ fontSize: 11 }}
              textAnchor={x(t + d.start) > width - 40 ? 'end' : 'middle'}
              fill={c('quiet')}
            >
              {words[i]}
            </text>
          </g>
        ))}
        {scale.folds.map((f) => (
          <g key={f.from}>
            <rect
              x={left + f.from * inner}
              width={(f.to - f.from) * inner}
              y={top - 4}
              height={height - 18 - top}
              fill={c('chosen')}
            />
            <text
              x={left + ((f.from + f.to) / 2) * inner}
              y={height - 5}
              style={{ fontSize: 11 }}
              textAnchor="middle"
              fill={c('quiet')}
            >
              {duration(f.seconds)} folded
            </text>
          </g>
        ))}
        {rows.map((r, i) => (
          <g key={r.device}>
            <text
              x={10}
              y={y(i) + 4}
              fill={r.device === device ? c('plum') : c('ink')}
              fontWeight={r.device === device ? 650 : 400}
              style={{ cursor: 'pointer', fontSize: 12 }}
              onClick={() => choose(r.device)}
            >
              {r.device}
            </text>
            <line x1={left} x2={width - right} y1={y(i)} y2={y(i)} stroke={c('line')} />
            {r.events
              .filter((e) => seen(e.at, e.until))
              .map((e, k) => (
                <g key={k} opacity={matches(e.text, r.device, find) ? 1 : 0.15}>
                  <Mark
                    x={x(e.at)}
                    until={e.until === undefined ? undefined : x(e.until)}
                    y={y(i)}
                    lane={e.lane}
                    title={`${duration(e.at - d.start)}: ${e.text}${e.count > 6 ? `\nand ${e.count - 6} more` : ''}`}
                  />
                </g>
              ))}
          </g>
        ))}
        {path && (
          <Path
            points={jointsOf(path)}
            seen={seen}
            row={(d) => rows.findIndex((r) => r.device === d)}
            x={x}
            y={y}
          />
        )}
        {flows.map((f, i) => (
          <g key={f.name}>
            <text x={10} y={y(rows.length + i) + 4} style={{ fontSize: 12 }} fontWeight={650} fill={c('ink')}>
              {f.name}
            </text>
            {outageBars(f.outages.filter((o) => seen(o.from, o.to ?? Infinity))).map(({ bar, label }) => (
              <g key={bar.outage.from}>
                <rect
                  x={bar.from}
                  width={Math.max(2, bar.to - bar.from)}
                  y={y(rows.length + i) - 6}
                  height={12}
                  rx={3}
                  fill={c('brick')}
                >
                  <title>{[bar.words, ...(bar.outage.causes ?? [bar.outage.cause])].join('\n')}</title>
                </rect>
                {label && (
                  <text
                    x={label.x}
                    y={y(rows.length + i) + 4}
                    style={{ fontSize: 11 }}
                    fontWeight={600}
                    fill={label.inside ? c('panel') : c('brick')}
                  >
                    {label.text}
                  </text>
                )}
              </g>
            ))}
          </g>
        ))}
        {seen(d.start) && (
          <>
            <line
              x1={x(d.start)}
              x2={x(d.start)}
              y1={4}
              y2={height - 18}
              stroke={c('brick')}
              strokeWidth={1.5}
            />
            <text x={x(d.start) + 4} y={12} style={{ fontSize: 11 }} fill={c('brick')}>
              {d.action}
            </text>
          </>
        )}
        {at !== undefined && seen(at) && (
          <g>
            <line x1={x(at)} x2={x(at)} y1={2} y2={height - 18} stroke={c('plum')} strokeWidth={2} />
            <path d={`M${x(at) - 5},0h10l-5,7z`} fill={c('plum')} />
          </g>
        )}
      </svg>
    </div>
  );
}

const Small = ({ name, onClick, children }: { name: string; onClick: () => void; children: ReactNode }) => (
  <button
    aria-label={name}
    title={`${name} (Ctrl and the wheel, or + and - where the chart has the focus)`}
    onClick={onClick}
    style={{
      minWidth: 20,
      height: 18,
      fontSize: 12,
      lineHeight: 1,
      border: `1px solid ${c('line')}`,
      borderRadius: 4,
      background: c('raised'),
      color: c('ink'),
    }}
  >
    {children}
  </button>
);

/** The critical path from row to row; what is in rows that are not drawn is left out. */
function Path({
  points,
  row,
  seen,
  x,
  y,
}: {
  points: Joint[];
  row: (device: string) => number;
  seen: (from: number, to?: number) => boolean;
  x: (t: number) => number;
  y: (i: number) => number;
}) {
  const rowed = points.filter((p) => row(p.device) >= 0);
  const drawn = rowed.filter((p) => seen(p.at));
  const place = (p: Joint) => `${x(p.at)},${y(row(p.device))}`;
  const d = rowed
    .slice(1)
    .map((p, i) => [rowed[i] ?? p, p] as const)
    .filter(([a, b]) => (a.device === b.device ? seen(a.at, b.at) : seen(a.at) && seen(b.at)))
    .map(([a, b]) => `M${place(a)}L${place(b)}`)
    .join('');
  return (
    <g data-testid="critical-line">
      <path
        d={d}
        fill="none"
        stroke={c('ink')}
        strokeWidth={2}
        strokeDasharray="1 4"
        strokeLinecap="round"
        strokeLinejoin="round"
      />
      {drawn.map((p, i) => (
        <circle key={i} cx={x(p.at)} cy={y(row(p.device))} r={2} fill={c('ink')} />
      ))}
      <title>what it waited for</title>
    </g>
  );
}

/** What happened: each lane has a shape of its own, so that colour is never alone. */
function Mark({
  x,
  until,
  y,
  lane,
  title,
}: {
  x: number;
  until: number | undefined;
  y: number;
  lane: string;
  title: string;
}) {
  const inner = <title>{title}</title>;
  switch (lane) {
    case 'detection':
      return (
        <rect x={x - 4} y={y - 4} width={8} height={8} fill={c('brick')}>
          {inner}
        </rect>
      );
    case 'adjacency':
      return (
        <path d={`M${x},${y - 5}L${x + 5},${y + 4}H${x - 5}Z`} fill={c('quiet')}>
          {inner}
        </path>
      );
    case 'session':
      return (
        <path d={`M${x},${y + 5}L${x + 5},${y - 4}H${x - 5}Z`} fill={c('plum')}>
          {inner}
        </path>
      );
    case 'updates':
      return (
        <circle cx={x} cy={y} r={3.5} fill={c('panel')} stroke={c('plum')} strokeWidth={1.5}>
          {inner}
        </circle>
      );
    case 'flooding':
      return (
        <circle cx={x} cy={y} r={4} fill={c('ochre')}>
          {inner}
        </circle>
      );
    case 'spf':
      return (
        <rect
          x={x}
          y={y - 4}
          width={Math.max(3, (until ?? x) - x)}
          height={8}
          rx={2}
          fill={c('plum')}
          opacity={0.85}
        >
          {inner}
        </rect>
      );
    case 'forwarding':
      return (
        <path
          d={`M${x},${y - 6}L${x + 6},${y}L${x},${y + 6}L${x - 6},${y}Z`}
          fill={c('leaf')}
          stroke={c('panel')}
        >
          {inner}
        </path>
      );
  }
  return (
    <rect x={x - 1} y={y - 5} width={2} height={10} fill={c('quiet')}>
      {inner}
    </rect>
  );
}

/** What the shapes mean. */
export function Legend({
  rows,
  path = false,
}: {
  rows: { events: { lane: string }[] }[] | undefined;
  path?: boolean;
}) {
  const used = new Set(rows?.flatMap((r) => r.events.map((e) => e.lane)));
  const items: [string, string][] = [
    ['detection', 'port'],
    ['adjacency', 'neighbour'],
    ['flooding', 'LSA'],
    ['spf', 'SPF wait and run'],
    ['session', 'BGP session'],
    ['updates', 'BGP UPDATE'],
    ['forwarding', 'forwarding changed'],
  ];
  return (
    <span style={{ display: 'inline-flex', gap: 12, fontSize: 11, color: c('quiet') }}>
      {items
        .filter(([lane]) => used.has(lane))
        .map(([lane, words]) => (
          <span key={lane} style={{ display: 'inline-flex', alignItems: 'center', gap: 4 }}>
            <svg width={14} height={12} aria-hidden="true">
              <Mark
                x={lane === 'spf' ? 1 : 7}
                until={lane === 'spf' ? 13 : undefined}
                y={6}
                lane={lane}
                title={words}
              />
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
