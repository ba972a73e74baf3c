import { useEffect, useRef, useState } from 'react';
import { matches } from './find';
import type { Lane, LaneEvent } from './lanes';
import { shapeOf } from './shapes';

/** Events closer to the pointer than this, in pixels, are read. */
const reach = 7;

/** An event where it is drawn. */
export interface Placed {
  x: number;
  /** The end of a bar. */
  until: number | undefined;
  row: number;
  event: LaneEvent;
  faint: boolean;
}

/** The events that are seen, in their places; those that would cover one of their lane exactly are left out. */
export function placed(
  lanes: Lane[],
  seen: (from: number, to?: number) => boolean,
  x: (t: number) => number,
  find: string,
): Placed[] {
  const out: Placed[] = [];
  lanes.forEach((l, row) => {
    const last = new Map<string, number>();
    for (const event of l.events) {
      if (!seen(event.at, event.until)) continue;
      const faint = !matches(event.text, event.device, find);
      const at = x(event.at);
      const key = `${event.lane} ${String(faint)}`;
      if (event.until === undefined && Math.abs(at - (last.get(key) ?? -9)) < 0.5) continue;
      last.set(key, at);
      out.push({ x: at, until: event.until === undefined ? undefined : x(event.until), row, event, faint });
    }
  });
  return out;
}

/** The event that the pointer is on, if any. */
export function under(marks: Placed[], row: number, x: number): Placed | undefined {
  let best: Placed | undefined;
  let least = reach;
  for (const m of marks) {
    if (m.row !== row) continue;
    const away = Math.max(m.x - x, 0, x - (m.until ?? m.x));
    // Of those at one place, the last is on top.
    if (away <= least) [best, least] = [m, away];
  }
  return best;
}

/** How often the theme has changed. */
function useTheme(): number {
  const [n, setN] = useState(0);
  useEffect(() => {
    const watch = new MutationObserver(() => setN((k) => k + 1));
    watch.observe(document.documentElement, { attributes: true });
    return () => watch.disconnect();
  }, []);
  return n;
}

/** Draws events on a canvas: thousands of them would be slow as elements. */
export function Marks({
  marks,
  width,
  height,
  y,
}: {
  marks: Placed[];
  width: number;
  height: number;
  y: (row: number) => number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme();
  useEffect(() => {
    const el = canvas.current;
    const pen = el?.getContext('2d');
    if (!el || !pen) return;
    const ratio = window.devicePixelRatio || 1;
    el.width = Math.round(width * ratio);
    el.height = Math.round(height * ratio);
    const style = getComputedStyle(el);
    const tint = (name: string) => style.getPropertyValue(`--chakra-colors-${name}`).trim();
    const ready = new Map<string, { path: Path2D; fill: string; stroke: string }>();
    const shape = (lane: string) => {
      let s = ready.get(lane);
      if (!s) {
        const { path, fill, stroke } = shapeOf(lane);
        s = { path: new Path2D(path), fill: fill ? tint(fill) : '', stroke: stroke ? tint(stroke) : '' };
        ready.set(lane, s);
      }
      return s;
    };
    pen.lineWidth = 1.5;
    for (const m of marks) {
      const s = shape(m.event.lane);
      pen.setTransform(ratio, 0, 0, ratio, m.x * ratio, y(m.row) * ratio);
      pen.globalAlpha = m.faint ? 0.15 : 1;
      pen.fillStyle = s.fill;
      if (m.until !== undefined && m.until - m.x > 3) pen.fillRect(0, -4, m.until - m.x, 8);
      else pen.fill(s.path);
      if (s.stroke) {
        pen.strokeStyle = s.stroke;
        pen.stroke(s.path);
      }
    }
  }, [marks, width, height, y, theme]);
  return (
    <canvas
      ref={canvas}
      aria-hidden
      data-testid="marks"
      data-drawn={marks.length}
      style={{ position: 'absolute', left: 0, top: 0, width, height, pointerEvents: 'none' }}
    />
  );
}
