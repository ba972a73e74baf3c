import { useReactFlow, useStoreApi, type InternalNode } from '@xyflow/react';
import { useEffect, useMemo, useRef } from 'react';
import type { Flight, MapData, Occurrence } from '../../shared/api/client';
import { usePlay } from '../../shared/play/play';
import { classShape, classTint, classWords } from '../../shared/play/packets';
import type { Part } from '../../shared/play/spread';
import { around, between, inTheAir, progress } from '../../shared/play/stretch';
import { stay } from '../../shared/play/stay';
import type { Line, Point } from './line';
import { pointOn, wayOf, wiresOf } from './way';
import { boxOf } from './MapNote';

/** With more of a class than this on one line, they are a band. */
const band = 8;
/** With more packets than this in the air, they have no words. */
const named = 14;
/** How often the theme's colours are read again, in frames. */
const tintsEvery = 30;

/** The packets that are on their way, and words on the cards where something happens: drawn over the map as time plays. */
export function Flights({ map }: { map: MapData }) {
  const play = usePlay();
  const canvas = useRef<HTMLCanvasElement>(null);
  const { getInternalNode } = useReactFlow();
  const store = useStoreApi();
  const wires = useMemo(() => wiresOf(map.links), [map.links]);
  const open = play?.stretch !== undefined;
  const latest = useRef(play);
  useEffect(() => {
    latest.current = play;
  });
  useEffect(() => {
    const c = canvas.current;
    const context = c?.getContext('2d');
    if (!open || !c || !context) return;
    let frame = 0;
    let drawn = 0;
    let tints = tintsOf(c);
    let was: unknown[] = [];
    const box = (card: string) => {
      const n = getInternalNode(card);
      return n && boxOf(n);
    };
    const draw = () => {
      frame = requestAnimationFrame(draw);
      const p = latest.current;
      if (p && drawn++ % tintsEvery === 0) tints = tintsOf(c);
      if (p) {
        const { width, height, transform, nodes } = store.getState();
        // While nothing moves, the picture stays.
        const of = [p.now.current, p.flights, p.spread, p.events, p.speed, p.playing, width, height];
        const now = [...of, transform, nodes, Object.values(tints).join()];
        if (now.every((x, i) => x === was[i])) return;
        was = now;
        const ratio = window.devicePixelRatio || 1;
        if (c.width !== Math.round(width * ratio) || c.height !== Math.round(height * ratio)) {
          c.width = Math.round(width * ratio);
          c.height = Math.round(height * ratio);
        }
        const [x, y, zoom] = transform;
        context.setTransform(1, 0, 0, 1, 0, 0);
        context.clearRect(0, 0, c.width, c.height);
        context.setTransform(zoom * ratio, 0, 0, zoom * ratio, x * ratio, y * ratio);
        const t = p.now.current;
        const flying = inTheAir(p.flights, t, p.speed * stay);
        const pen = penOf(context, tints, zoom);
        drawSpread(
          pen,
          p.spread.filter((x) => x.at <= t),
          (f) => wayOf(f, wires, box),
        );
        drawLoops(
          pen,
          around(p.flights, t, p.speed * stay).filter((f) => f.loops),
          (f) => wayOf(f, wires, box),
        );
        const where = drawFlights(pen, flying, t, (f) => wayOf(f, wires, box));
        drawWords(pen, happening(p.events, t, p.speed * stay + (p.playing ? 0 : 1e-9)), (device) =>
          getInternalNode(device),
        );
        // While time stands, what is drawn is written here as well.
        c.dataset.drawn = p.playing ? '' : JSON.stringify(where);
      }
    };
    frame = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(frame);
  }, [open, store, wires, getInternalNode]);
  if (!open) return null;
  return (
    <canvas
      ref={canvas}
      data-testid="flights"
      aria-hidden
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        pointerEvents: 'none',
        zIndex: 6,
      }}
    />
  );
}

/** What happened a while ago at most. */
const happening = (events: Occurrence[], t: number, stay: number) =>
  between(events, t - stay, t).filter((e) => t < e.at + stay);

type Tints = Record<string, string>;

function tintsOf(c: HTMLCanvasElement): Tints {
  const style = getComputedStyle(c);
  const names = ['leaf', 'ochre', 'plum', 'brick', 'quiet', 'ink', 'panel', 'line'];
  const tints = names.map((n) => [n, style.getPropertyValue(`--chakra-colors-${n}`).trim() || '#888']);
  return { ...Object.fromEntries(tints), font: style.fontFamily } as Tints;
}

/** What draws: sizes are those of the screen where the map is small. */
interface Pen {
  c: CanvasRenderingContext2D;
  tints: Tints;
  /** Pixels of the map for one of the screen, at least 1. */
  scale: number;
  /** Where words are already: no others are written over them. */
  taken: { x: number; y: number; width: number; height: number }[];
}

const penOf = (c: CanvasRenderingContext2D, tints: Tints, zoom: number): Pen => ({
  c,
  tints,
  scale: 1 / Math.min(1, zoom),
  taken: [],
});

/** The links over which what is followed has come to where it was not yet. */
function drawSpread({ c, tints, scale }: Pen, parts: Part[], way: (f: Flight) => Line[]) {
  c.strokeStyle = tints.plum ?? '#000';
  c.lineWidth = 5 * scale;
  c.globalAlpha = 0.45;
  c.lineCap = 'round';
  for (const { kind, flight } of parts) {
    if (!flight || kind === 'again' || kind === 'lost') continue;
    for (const l of way(flight)) {
      c.beginPath();
      c.moveTo(l.x1, l.y1);
      c.lineTo(l.x2, l.y2);
      c.stroke();
    }
  }
  c.globalAlpha = 1;
}

/** The links on which packets go round in a loop. */
function drawLoops(pen: Pen, looping: Flight[], way: (f: Flight) => Line[]) {
  const { c, tints, scale } = pen;
  const brick = tints.brick ?? '#800';
  c.strokeStyle = brick;
  c.lineWidth = 8 * scale;
  c.lineCap = 'round';
  const drawn = new Set<string>();
  for (const f of looping) {
    const key = [f.from, f.to].sort().join(' ');
    if (drawn.has(key)) continue;
    drawn.add(key);
    c.globalAlpha = 0.35;
    const lines = way(f);
    for (const l of lines) {
      c.beginPath();
      c.moveTo(l.x1, l.y1);
      c.lineTo(l.x2, l.y2);
      c.stroke();
    }
    c.globalAlpha = 1;
    const middle = pointOn(lines, 0.5);
    if (middle) label(pen, `${f.kind} loops`, middle.x, middle.y + 14 * scale, brick);
  }
}

/** A packet as it is drawn. */
export interface Drawn {
  from: string;
  to: string;
  class: string;
  share: number;
  x: number;
  y: number;
}

/** The shapes that were drawn once: making one from its text takes longer than drawing it. */
const shapes: Partial<Record<Flight['class'], Path2D>> = {};

function drawFlights(pen: Pen, flying: Flight[], t: number, way: (f: Flight) => Line[]): Drawn[] {
  const { c, tints, scale } = pen;
  const out: Drawn[] = [];
  const groups = new Map<string, Flight[]>();
  for (const f of flying) {
    const key = `${f.from} ${f.to} ${f.class} ${f.lost ?? ''}`;
    const group = groups.get(key);
    if (group) group.push(f);
    else groups.set(key, [f]);
  }
  for (const group of groups.values()) {
    const [first] = group;
    if (!first) continue;
    const lines = way(first);
    const tint = tints[first.lost !== undefined ? 'brick' : classTint[first.class]] ?? '#888';
    const points = group.flatMap((f) => {
      const share = progress(f, t);
      const p = pointOn(lines, share);
      return p ? [{ f, share, p }] : [];
    });
    for (const { f, share, p } of points)
      out.push({ from: f.from, to: f.to, class: f.class, share, x: p.x, y: p.y });
    if (points.length > band) {
      const shares = points.map((x) => x.share);
      const a = pointOn(lines, Math.min(...shares));
      const b = pointOn(lines, Math.max(...shares));
      if (!a || !b) continue;
      c.strokeStyle = tint;
      c.globalAlpha = 0.6;
      c.lineWidth = 9 * scale;
      c.lineCap = 'round';
      c.beginPath();
      c.moveTo(a.x, a.y);
      c.lineTo(b.x, b.y);
      c.stroke();
      c.globalAlpha = 1;
      label(pen, `${points.length} ${classWords[first.class]}`, b.x, b.y - 12 * scale, tint);
      continue;
    }
    for (const { f, share, p } of points) {
      if (f.lost !== undefined && share >= 0.5) {
        cross(pen, p, tint);
        label(pen, f.lost, p.x, p.y - 14 * scale, tint);
        continue;
      }
      c.save();
      c.translate(p.x, p.y);
      c.rotate(p.angle);
      c.scale(scale, scale);
      c.strokeStyle = tint;
      c.lineWidth = 2;
      const { d, solid } = classShape[f.class];
      const shape = (shapes[f.class] ??= new Path2D(d));
      c.fillStyle = solid ? tint : (tints.panel ?? '#fff');
      c.fill(shape);
      if (!solid) c.stroke(shape);
      c.restore();
      if (flying.length <= named)
        label(pen, f.class === 'flow' ? f.kind : classWords[f.class], p.x, p.y - 12 * scale, tint);
    }
  }
  return out;
}

function cross({ c, scale }: Pen, p: Point, tint: string) {
  const r = 5 * scale;
  c.strokeStyle = tint;
  c.lineWidth = 2.5 * scale;
  c.beginPath();
  c.moveTo(p.x - r, p.y - r);
  c.lineTo(p.x + r, p.y + r);
  c.moveTo(p.x + r, p.y - r);
  c.lineTo(p.x - r, p.y + r);
  c.stroke();
}

/** Words with their middle at a point, unless others are there. */
function label({ c, tints, scale, taken }: Pen, words: string, x: number, y: number, tint: string) {
  c.font = `600 ${11 * scale}px ${tints.font ?? 'sans-serif'}`;
  c.textBaseline = 'middle';
  const width = c.measureText(words).width + 6 * scale;
  const box = { x: x - width / 2, y: y - 7 * scale, width, height: 14 * scale };
  const meets = (o: typeof box) =>
    box.x < o.x + o.width && o.x < box.x + box.width && box.y < o.y + o.height && o.y < box.y + box.height;
  if (taken.some(meets)) return;
  taken.push(box);
  c.globalAlpha = 0.9;
  c.fillStyle = tints.panel ?? '#fff';
  c.fillRect(box.x, box.y, box.width, box.height);
  c.globalAlpha = 1;
  c.fillStyle = tint;
  c.fillText(words, box.x + 3 * scale, y);
}

const times = / \u00d7(\d+)$/;

/** What happens on a card, above it: the latest words of each device. */
function drawWords(pen: Pen, events: Occurrence[], node: (device: string) => InternalNode | undefined) {
  const words = new Map<string, Occurrence[]>();
  // What happens several times is written once, with how often.
  for (const e of events) {
    const list = words.get(e.device) ?? [];
    const at = list.findIndex((x) => x.word.replace(times, '') === e.word);
    const before = Number(times.exec(list[at]?.word ?? '')?.[1] ?? 1);
    const next = at < 0 ? e : { ...e, word: `${e.word} \u00d7${before + 1}` };
    words.set(e.device, [...list.filter((_, i) => i !== at), next].slice(-3));
  }
  for (const [device, list] of words) {
    const n = node(device);
    if (!n) continue;
    const box = boxOf(n);
    list.forEach((e, i) => {
      const bad =
        ['packet', 'detection', 'session', 'adjacency'].includes(e.lane) && /lost|down|dropped/.test(e.word);
      const y = box.y - (10 + (list.length - 1 - i) * 15) * pen.scale;
      label(pen, e.word, box.x + box.width / 2, y, pen.tints[bad ? 'brick' : 'plum'] ?? '#000');
    });
  }
}
