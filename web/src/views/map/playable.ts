import type { Flight, MapData, Occurrence } from '../../shared/api/client';
import { classShape, classTint, classWords } from '../../shared/play/packets';
import { inTheAir, progress } from '../../shared/play/stretch';
import type { Places } from './layout';
import { boxesOf, escape, mapSvg } from './svg';
import { pointOn, wayOf, wiresOf } from './way';

/** The light colours, as exported pictures have them. */
const light: Record<string, string> = {
  leaf: '#466c35',
  ochre: '#8a6415',
  plum: '#6d2f57',
  brick: '#a03a29',
  quiet: '#655b67',
  ink: '#241d26',
};

const tintOf = (f: Flight) => light[f.lost === undefined ? classTint[f.class] : 'brick'] ?? '#000';

/** The packets of an instant, as SVG. */
export function marksOf(map: MapData, places: Places, flights: Flight[], t: number, stay: number): string {
  const wires = wiresOf(map.links);
  const boxes = boxesOf(map, places);
  return inTheAir(flights, t, stay)
    .map((f) => {
      const share = progress(f, t);
      const p = pointOn(
        wayOf(f, wires, (id) => boxes.get(id)),
        share,
      );
      if (!p) return '';
      const { d, solid } = classShape[f.class];
      const tint = tintOf(f);
      const lost = f.lost !== undefined && share >= 0.5;
      const shape = lost
        ? `<path d="M-5,-5L5,5M5,-5L-5,5" stroke="${tint}" stroke-width="2.5" fill="none"/>`
        : `<path d="${d}" fill="${solid ? tint : '#fff'}" stroke="${tint}" stroke-width="2" transform="rotate(${((p.angle * 180) / Math.PI).toFixed(1)})"/>`;
      const words = lost ? (f.lost ?? '') : classWords[f.class];
      return `<g transform="translate(${p.x.toFixed(1)},${p.y.toFixed(1)})">${shape}<text y="-9" font-size="11" font-weight="600" text-anchor="middle" fill="${tint}">${escape(words)}</text></g>`;
    })
    .join('');
}

/** The map at an instant with the packets that are on their way, as an SVG document. */
export const instantSvg = (map: MapData, places: Places, flights: Flight[], t: number, stay: number) =>
  mapSvg(map, places, undefined, marksOf(map, places, flights, t, stay));

interface Playable {
  title: string;
  map: MapData;
  places: Places;
  from: number;
  to: number;
  speed: number;
  flights: Flight[];
  events: Occurrence[];
}

/** A stretch of time as an HTML document that plays by itself: it asks for nothing from anywhere. */
export function playableHtml(p: Playable): string {
  const wires = wiresOf(p.map.links);
  const boxes = boxesOf(p.map, p.places);
  const data = {
    from: p.from,
    to: p.to,
    speed: p.speed,
    flights: p.flights.flatMap((f) => {
      const way = wayOf(f, wires, (id) => boxes.get(id));
      if (way.length === 0) return [];
      const points = [way[0], ...way].map((l, i) => (i === 0 ? [l?.x1, l?.y1] : [l?.x2, l?.y2]));
      return [
        {
          at: f.at,
          until: f.until,
          way: points.map((xy) => xy.map((n) => Math.round((n ?? 0) * 10) / 10)),
          words: f.lost ?? classWords[f.class],
          says: `${f.kind} from ${f.from} to ${f.to}${f.lost === undefined ? '' : `, lost: ${f.lost}`}`,
          lost: f.lost !== undefined,
          tint: tintOf(f),
          ...classShape[f.class],
        },
      ];
    }),
    events: p.events.map((e) => {
      const b = boxes.get(e.device);
      return {
        at: e.at,
        device: e.device,
        word: e.word,
        says: e.text,
        x: b ? b.x + b.width / 2 : 0,
        y: b ? b.y - 10 : 0,
      };
    }),
  };
  // What ends a script must not be in it.
  const json = JSON.stringify(data).replaceAll('<', '\\u003c');
  const svg = mapSvg(p.map, p.places, undefined, '<g id="over"></g>').replace(
    /width="[\d.]+" height="[\d.]+" font-family/,
    'style="width:100%;height:auto;max-height:68vh" font-family',
  );
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escape(p.title)}</title>
<style>body{font:14px Inter,sans-serif;margin:16px;color:#241d26;background:#f8f4ea}#bar{display:flex;gap:10px;align-items:center;margin:10px 0}#bar input{flex:1}button,select{font:inherit}#log{font-size:13px;line-height:1.5}</style>
</head><body><h1 style="font-size:18px">${escape(p.title)}</h1>
${svg}<div id="bar"><button id="play">Play</button><button id="back" aria-label="Step back">&lsaquo;</button><button id="on" aria-label="Step">&rsaquo;</button>
<input id="at" type="range" step="any" aria-label="Moment"><label>speed <select id="speed"></select></label><label><input id="skip" type="checkbox" checked> skip what is quiet</label><output id="time"></output></div>
<div id="log" role="log" aria-label="What happens"></div>
<script>const data=${json};(${String(playAlone)})(data)</script></body></html>
`;
}

/** What runs in the saved document. It stands alone: nothing from outside of it may be named here. */
/* v8 ignore next */
function playAlone(data: {
  from: number;
  to: number;
  speed: number;
  flights: {
    at: number;
    until: number;
    way: number[][];
    words: string;
    says: string;
    lost: boolean;
    tint: string;
    d: string;
    solid: boolean;
  }[];
  events: { at: number; device: string; word: string; says: string; x: number; y: number }[];
}) {
  const get = (id: string) => document.getElementById(id) as HTMLInputElement;
  const over = document.getElementById('over') as unknown as SVGGElement;
  const log = document.getElementById('log') as HTMLElement;
  const still = matchMedia('(prefers-reduced-motion: reduce)').matches;
  let t = data.from;
  let playing = false;
  let speed = data.speed;
  const text = (s: string) => s.replace(/&/g, '&amp;').replace(/</g, '&lt;');
  const times = [...new Set([...data.flights.map((f) => f.at), ...data.events.map((e) => e.at)])].sort(
    (a, b) => a - b,
  );
  for (const s of [1e-6, 1e-5, 1e-4, 1e-3, 1e-2, 0.1, 1, 10, 60, 600, 3600]) {
    const o = document.createElement('option');
    o.value = String(s);
    o.textContent =
      s >= 60
        ? `${s / 60} min/s`
        : s >= 1
          ? `${s} s/s`
          : s >= 1e-3
            ? `${s * 1e3} ms/s`
            : `${Math.round(s * 1e6)} µs/s`;
    o.selected = s === speed;
    get('speed').append(o);
  }
  const draw = () => {
    const stay = speed * 1.2;
    const air = data.flights.filter((f) => f.at <= t && t < f.until + (f.lost ? stay : 0));
    let out = '';
    for (const f of air) {
      const share = Math.min(f.lost ? 0.5 : 1, (t - f.at) / Math.max(1e-9, f.until - f.at));
      const n = f.way.length - 1;
      const k = Math.min(n - 1, Math.floor(share * n));
      const [a = [0, 0], b = [0, 0]] = f.way.slice(k, k + 2);
      const part = share * n - k;
      const [ax = 0, ay = 0] = a;
      const [bx = 0, by = 0] = b;
      const x = ax + (bx - ax) * part;
      const y = ay + (by - ay) * part;
      const angle = (Math.atan2(by - ay, bx - ax) * 180) / Math.PI;
      out += `<g transform="translate(${x},${y})">`;
      out +=
        f.lost && share >= 0.5
          ? `<path d="M-5,-5L5,5M5,-5L-5,5" stroke="${f.tint}" stroke-width="2.5"/>`
          : `<path d="${f.d}" transform="rotate(${angle})" fill="${f.solid ? f.tint : '#fff'}" stroke="${f.tint}" stroke-width="2"/>`;
      if (air.length < 15)
        out += `<text y="-9" font-size="11" font-weight="600" text-anchor="middle" fill="${f.tint}">${text(f.words)}</text>`;
      out += '</g>';
    }
    const seen: Record<string, number> = {};
    const now = data.events.filter((e) => e.at <= t && t < e.at + stay + 1e-9);
    for (const e of now.slice(-60)) {
      const n = (seen[e.device] = (seen[e.device] ?? -1) + 1);
      if (n < 3)
        out += `<text x="${e.x}" y="${e.y - n * 14}" font-size="11" font-weight="600" text-anchor="middle" fill="#6d2f57">${text(e.word)}</text>`;
    }
    over.innerHTML = out;
    over.setAttribute('data-flying', String(air.length));
    get('at').value = String(t);
    get('time').textContent = `${(t - data.from).toFixed(6)} s`;
    const last = data.events.filter((e) => e.at <= t).slice(-4);
    log.innerHTML = [
      ...last.map((e) => `<div><b>${text(e.device)}</b> ${text(e.says)}</div>`),
      ...air.slice(0, 4).map((f) => `<div>${text(f.says)}</div>`),
    ].join('');
    get('play').textContent = playing ? 'Pause' : 'Play';
  };
  const go = (to: number) => {
    t = Math.max(data.from, Math.min(data.to, to));
    draw();
  };
  const step = (by: number) => {
    playing = false;
    const next = by > 0 ? times.find((x) => x > t + 5e-10) : times.filter((x) => x < t - 5e-10).pop();
    go(next ?? (by > 0 ? data.to : data.from));
  };
  let last = 0;
  const run = (clock: number) => {
    if (!playing) return;
    let to = t + speed * Math.min(0.1, (clock - last) / 1000);
    last = clock;
    const stay = speed * 1.2;
    if (
      get('skip').checked &&
      !data.flights.some((f) => f.at <= to && to < f.until + (f.lost ? stay : 0)) &&
      !data.events.some((e) => e.at <= to && to < e.at + stay)
    ) {
      const next = times.find((x) => x > to);
      to = next === undefined ? data.to : Math.max(to, next - speed * 0.3);
    }
    if (to >= data.to) playing = false;
    go(to);
    if (playing) requestAnimationFrame(run);
  };
  const toggle = () => {
    playing = !playing;
    if (playing && t >= data.to) t = data.from;
    last = performance.now();
    if (playing && !still) requestAnimationFrame(run);
    if (playing && still) {
      const each = setInterval(() => {
        if (!playing) {
          clearInterval(each);
          return;
        }
        const next = times.find((x) => x > t + 5e-10);
        if (next === undefined) playing = false;
        go(next ?? data.to);
      }, 1000);
    }
    draw();
  };
  get('at').min = String(data.from);
  get('at').max = String(data.to);
  get('at').oninput = () => go(Number(get('at').value));
  get('play').onclick = toggle;
  get('on').onclick = () => step(1);
  get('back').onclick = () => step(-1);
  get('speed').onchange = () => (speed = Number(get('speed').value));
  document.onkeydown = (e) => {
    if (e.key === ' ' && (e.target as Element).tagName !== 'BUTTON') {
      e.preventDefault();
      toggle();
    } else if (e.key === '>') step(1);
    else if (e.key === '<') step(-1);
  };
  go(data.from);
}
