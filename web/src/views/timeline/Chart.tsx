import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import type { ActionDetail, Chain } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { useDelayed } from '../../shared/parts/delayed';
import { duration } from '../../shared/parts/words';
import { jointsOf, type Joint } from './chain';
import { FlowRow } from './FlowRow';
import { lanesOf, sharedWords, type By } from './lanes';
import { Marks, placed, under, type Placed } from './Marks';
import { makeScale, ticks } from './scale';
import { c, eventWords } from './shapes';
import { moved, tickWords, zoomed, type Window } from './zoom';

const left = 116;
const right = 20;
const rowHeight = 22;
const top = 16;

const y = (i: number) => top + i * rowHeight + rowHeight / 2;

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
  /** What each row shows: a device, a protocol or a flow. */
  by?: By;
  /** Moments that have a name: those within the action are drawn. */
  moments?: { name: string; at: number }[];
  /** The devices in the order of their rows; those that are not in it come after, in the order of their first events. */
  order?: string[];
}

const noOrder: string[] = [];
const noMoments: { name: string; at: number }[] = [];
/** How long nobody zooms or types before what is seen now is asked for, in milliseconds. */
const still = 180;

/** One action over time: events and forwarding changes in one row per device, outages of flows as bars. */
export function Chart({
  detail: d,
  at,
  drag,
  device,
  choose,
  maxRows,
  path,
  find = '',
  by = 'device',
  order = noOrder,
  moments = noMoments,
}: Props) {
  const { id } = useFocus();
  const host = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  useEffect(() => {
    if (!host.current) return;
    const watch = new ResizeObserver((e) => setWidth(e[0]?.contentRect.width ?? 800));
    watch.observe(host.current);
    return () => watch.disconnect();
  }, []);

  // What is looked at, if it is not all of the action.
  const [looked, setLooked] = useState<Window & { seq: number }>();
  const part = looked?.seq === d.seq ? looked : undefined;
  // Where events share marks, those of what is seen are asked for: they are fewer, or those that match stand alone.
  const close = useDelayed(part, still);
  const sought = useDelayed(find.trim(), still);
  const shares = d.merged > 0 && (close !== undefined || sought !== '');
  const closer = useQuery({
    ...ask.actionPart(id, d.seq, close?.from ?? 0, close?.to ?? 0, sought),
    enabled: shares,
  });
  const events = shares && closer.data ? closer.data : d;
  const lanes = useMemo(() => {
    const all = lanesOf(events.rows, d.flows, d.start, by, order);
    const flows = all.filter((l) => l.flow);
    return [...all.filter((l) => !l.flow).slice(0, maxRows), ...flows];
  }, [events.rows, d, by, order, maxRows]);
  const { scale, whole } = useMemo(() => {
    const times = events.rows.flatMap((r) =>
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
  }, [d, events.rows, part]);
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
  const height = top + Math.max(1, lanes.length) * rowHeight + 4;
  const marks = useMemo(
    () =>
      placed(
        lanes,
        (from, to = from) => to >= scale.start && from <= scale.end,
        (t) => left + scale.place(t) * inner,
        find,
      ),
    [lanes, scale, inner, find],
  );
  const [pointed, setPointed] = useState<Placed>();
  const timeAt = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    return scale.time(Math.min(1, Math.max(0, (e.clientX - box.left - left) / inner)));
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
      <svg
        width={width}
        height={height}
        aria-hidden
        style={{ position: 'absolute', left: 0, top: 0, pointerEvents: 'none' }}
      >
        {axis.map((t) => (
          <g key={t}>
            <line x1={x(t + d.start)} x2={x(t + d.start)} y1={top - 6} y2={height} stroke={c('line')} />
          </g>
        ))}
        {scale.folds.map((f) => (
          <g key={f.from}>
            <rect
              x={left + f.from * inner}
              width={(f.to - f.from) * inner}
              y={top - 4}
              height={height - top}
              fill={c('chosen')}
            />
          </g>
        ))}
        {lanes.map((_, i) => (
          <line key={i} x1={left} x2={width - right} y1={y(i)} y2={y(i)} stroke={c('line')} />
        ))}
      </svg>
      <Marks marks={marks} width={width} height={height} y={y} />
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
        style={{
          position: 'relative',
          display: 'block',
          cursor: 'col-resize',
          touchAction: 'none',
          userSelect: 'none',
        }}
        onPointerDown={(e) => {
          if (e.nativeEvent.offsetX < left) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          drag(timeAt(e));
        }}
        onPointerMove={(e) => {
          if (e.currentTarget.hasPointerCapture(e.pointerId)) drag(timeAt(e));
          const row = Math.floor((e.nativeEvent.offsetY - top) / rowHeight);
          setPointed(under(marks, row, e.nativeEvent.offsetX));
        }}
        onPointerLeave={() => setPointed(undefined)}
      >
        {lanes.map((l, i) => (
          <text
            key={`${l.flow ? 'flow ' : ''}${l.name}`}
            x={10}
            y={y(i) + 4}
            fill={l.device !== undefined && l.device === device ? c('plum') : c('ink')}
            fontWeight={l.flow || (l.device !== undefined && l.device === device) ? 650 : 400}
            style={{ cursor: l.device ? 'pointer' : undefined, fontSize: 12 }}
            onClick={() => l.device && choose(l.device)}
          >
            {l.name}
          </text>
        ))}
        {path && by === 'device' && (
          <Path
            points={jointsOf(path)}
            seen={seen}
            row={(d) => lanes.findIndex((l) => l.device === d)}
            x={x}
            y={y}
          />
        )}
        {lanes.map(
          (l, i) =>
            l.flow && (
              <FlowRow
                key={l.name}
                flow={l.flow}
                same={by === 'flow' && l.events.length === 0}
                seen={seen}
                x={x}
                from={left}
                to={width - right}
                y={y(i)}
              />
            ),
        )}
        {seen(d.start) && (
          <>
            <line x1={x(d.start)} x2={x(d.start)} y1={4} y2={height} stroke={c('brick')} strokeWidth={1.5} />
            <text x={x(d.start) + 4} y={12} style={{ fontSize: 11 }} fill={c('brick')}>
              {d.action}
            </text>
          </>
        )}
        <Named
          moments={moments.filter((m) => m.at >= d.start && m.at <= d.end && seen(m.at))}
          x={x}
          from={seen(d.start) ? x(d.start) + 4 + d.action.length * letter : left}
          to={width - right}
          height={height}
          go={drag}
        />
        {at !== undefined && seen(at) && (
          <g>
            <line x1={x(at)} x2={x(at)} y1={2} y2={height} stroke={c('plum')} strokeWidth={2} />
            <path d={`M${x(at) - 5},0h10l-5,7z`} fill={c('plum')} />
          </g>
        )}
      </svg>
      {/* Below what is seen of the rows, however many there are. */}
      <div style={{ position: 'sticky', bottom: 0, height: 20, background: c('panel'), zIndex: 2 }}>
        <svg width={width} height={20} aria-hidden style={{ position: 'absolute', left: 0, top: 0 }}>
          {axis.map((t, i) => (
            <text
              key={t}
              x={x(t + d.start)}
              y={14}
              style={{ fontSize: 11 }}
              textAnchor={x(t + d.start) > width - 40 ? 'end' : 'middle'}
              fill={c('quiet')}
            >
              {words[i]}
            </text>
          ))}
          {scale.folds.map((f) => (
            <text
              key={f.from}
              x={left + ((f.from + f.to) / 2) * inner}
              y={14}
              style={{ fontSize: 11 }}
              textAnchor="middle"
              fill={c('quiet')}
            >
              {duration(f.seconds)} folded
            </text>
          ))}
        </svg>
        <span style={{ position: 'absolute', left: 4, bottom: 1, display: 'inline-flex', gap: 2 }}>
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
      </div>
      {pointed && (
        <div
          role="tooltip"
          style={{
            position: 'absolute',
            left: Math.min(pointed.x + 10, width - 330),
            top: y(pointed.row) + 12,
            maxWidth: 320,
            whiteSpace: 'pre-line',
            padding: '4px 8px',
            borderRadius: 4,
            border: `1px solid ${c('line')}`,
            background: c('raised'),
            fontSize: 12,
            pointerEvents: 'none',
            zIndex: 5,
          }}
        >
          {eventWords(pointed.event, d.start, by)}
        </div>
      )}
      {events.merged > 0 && (
        <div style={{ padding: '0 10px 4px', fontSize: 11, color: c('quiet') }} data-testid="shared-marks">
          {sharedWords(events.merged)}
        </div>
      )}
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

/** About how wide a letter is, in pixels. */
const letter = 6.2;

/** Moments that have a name: a line each, and the name above it where there is room; a click goes there. */
function Named({
  moments,
  x,
  from,
  to,
  height,
  go,
}: {
  moments: { name: string; at: number }[];
  x: (t: number) => number;
  from: number;
  to: number;
  height: number;
  go: (t: number) => void;
}) {
  return (
    <g data-testid="named-moments">
      {withRoom(moments, x, from, to).map(({ m, at, begins }) => (
        <g
          key={m.name}
          style={{ cursor: 'pointer' }}
          onPointerDown={(e) => {
            e.stopPropagation();
            go(m.at);
          }}
        >
          <title>{m.name}</title>
          <line x1={at} x2={at} y1={4} y2={height} stroke={c('plum')} strokeDasharray="2 3" />
          {begins !== undefined && (
            <text x={begins} y={12} style={{ fontSize: 11 }} fill={c('plum')}>
              {m.name}
            </text>
          )}
        </g>
      ))}
    </g>
  );
}

/** Where moments are, in order, and where their names begin; undefined where there is no room. */
function withRoom<M extends { name: string; at: number }>(
  moments: M[],
  x: (t: number) => number,
  from: number,
  to: number,
) {
  let free = from;
  return moments
    .toSorted((a, b) => a.at - b.at)
    .map((m) => {
      const at = x(m.at);
      const wide = m.name.length * letter;
      const begins = Math.min(at + 4, to - wide);
      if (begins < free) return { m, at, begins: undefined };
      free = begins + wide + 8;
      return { m, at, begins };
    });
}

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
