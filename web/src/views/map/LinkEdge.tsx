import { EdgeLabelRenderer, type Edge, type EdgeProps } from '@xyflow/react';
import { useCard } from './useCard';
import type { CriticalPlace, MapEnd, MapLink } from '../../shared/api/client';
import { strokeOf } from './critical';
import type { Crossed } from './graph';
import { sizeOf } from './labels';
import { useTextScale } from './scale';
import { along, barOf, costPlaces, lineBetween, markPlaces, reversed, type Line } from './line';
import { MapNote, boxOf, color } from './MapNote';
import { endWords, faultWords, markWords, roleWords, shortMarkWords } from './words';

export type LinkEdgeType = Edge<
  {
    link: MapLink;
    near: MapEnd | undefined; // undefined at a segment
    far: MapEnd;
    /** The paths that go over it. */
    over: Crossed | undefined;
    /** Those that did at the moment that is compared with. */
    was: Crossed | undefined;
    /** Only the later one of two moments has it. */
    came: boolean;
    /** Whether the shortest paths that are shown go over it, and which way; undefined if none are shown. */
    tree: 'no' | 'forward' | 'back' | undefined;
    labels: boolean;
    offset: number;
    selected: boolean;
    /** The draft takes it out. */
    gone: boolean;
    /** The harm that its failure does, if that is shown. */
    harm: CriticalPlace['harm'] | undefined;
    /** Which of their places its texts have; undefined without room. */
    texts: {
      near: number | undefined;
      far: number | undefined;
      why: number | undefined;
      mark: number | undefined;
    };
  },
  'link'
>;

/** A link as a line from card to card: its cost at each end, its fault in words, the way of traffic over it. */
export function LinkEdge({ source, target, data }: EdgeProps<LinkEdgeType>) {
  const a = useCard(source);
  const b = useCard(target);
  // A path is seen from afar.
  const scale = useTextScale();
  if (!a || !b || !data) return null;
  const box = (n: typeof a) => (n.type === 'segment' ? barOf(boxOf(n)) : boxOf(n));
  const l = lineBetween(box(a), box(b), data.offset);
  const { link, over, was, tree, near, far } = data;
  const used = tree === 'forward' || tree === 'back';
  const fault = faultWords(link, far);
  const paths = (over?.forward ?? 0) + (over?.back ?? 0);
  const lost = paths > 0 && paths === over?.lost;
  const { why, mark } = data.texts;
  const shows =
    data.labels || data.selected || Object.values(data.texts).some((place) => place !== undefined);
  const harm = data.harm && strokeOf[data.harm];
  const stroke = data.gone
    ? color('line')
    : harm
      ? color(harm.color)
      : over
        ? lost
          ? color('brick')
          : color('leaf')
        : fault
          ? color('brick')
          : used || data.selected || data.came
            ? color('plum')
            : color(tree ? 'line' : 'quiet');
  const way = tree === 'back' ? reversed(l) : l;
  return (
    <>
      {data.selected && <Stroke l={l} stroke={color('plum-soft')} width={12} />}
      <Stroke
        l={l}
        stroke={stroke}
        width={harm ? harm.width * scale : over ? (was ? 5 : 4) * scale : used || data.came ? 3 * scale : 1.4}
        dash={harm ? harm.dash : fault || lost || data.gone ? '7 6' : data.came ? '2 5' : undefined}
      />
      {was && was.forward > 0 && <Before l={l} paths={was.forward} />}
      {was && was.back > 0 && <Before l={reversed(l)} paths={was.back} />}
      {over && !lost && (
        <>
          {over.forward > 0 && <Taken l={l} paths={over.forward} both={over.back > 0} />}
          {over.back > 0 && <Taken l={reversed(l)} paths={over.back} both={over.forward > 0} />}
        </>
      )}
      {used && <Arrow l={way} fill={color('plum')} />}
      <path
        d={`M${l.x1},${l.y1}L${l.x2},${l.y2}`}
        stroke="none"
        pointerEvents="stroke"
        strokeWidth={16}
        fill="none"
        className="react-flow__edge-interaction"
      />
      {shows && (
        <EdgeLabelRenderer>
          {near && <EndLabel l={l} place={data.texts.near} end={near} full={data.labels || data.selected} />}
          <EndLabel l={reversed(l)} place={data.texts.far} end={far} full={data.labels || data.selected} />
          {why !== undefined && <FaultMark l={l} words={markWords(link, far)} place={why} />}
          {mark !== undefined && <FaultMark l={l} words={shortMarkWords(link, far)} place={mark} />}
        </EdgeLabelRenderer>
      )}
    </>
  );
}

/** What is wrong with a link. */
function FaultMark({ l, words, place }: { l: Line; words: string; place: number }) {
  const scale = useTextScale();
  const { width, height } = sizeOf(words, scale, true);
  const at = markPlaces(l, width, height)[place];
  if (!at || !words) return null;
  return (
    <MapNote
      at={at}
      style={{
        background: color('brick-soft'),
        color: color('brick'),
        border: `1px solid ${color('brick')}`,
        borderRadius: 4,
        padding: '1px 6px',
        fontWeight: 600,
      }}
    >
      {words}
    </MapNote>
  );
}

const Stroke = ({
  l,
  stroke,
  width,
  dash,
}: {
  l: Line;
  stroke: string;
  width: number;
  dash?: string | undefined;
}) => (
  <path
    d={`M${l.x1},${l.y1}L${l.x2},${l.y2}`}
    stroke={stroke}
    strokeWidth={width}
    strokeDasharray={dash}
    fill="none"
    strokeLinecap="round"
  />
);

/** The paths that go one way over a link: an arrow, and how many if there are several. */
function Taken({ l, paths, both }: { l: Line; paths: number; both: boolean }) {
  const at = both ? 0.66 : 0.55;
  return (
    <>
      <Arrow l={l} fill={color('leaf')} at={at} />
      {paths > 1 && <Count l={l} at={at} fill={color('leaf')} paths={paths} />}
    </>
  );
}

/** How many paths, in a disc just behind their arrow. */
function Count({ l, at, fill, paths }: { l: Line; at: number; fill: string; paths: number }) {
  const scale = useTextScale();
  const length = Math.hypot(l.x2 - l.x1, l.y2 - l.y1) || 1;
  const share = at - (5 + 8 * scale) / length;
  return (
    <g transform={`translate(${l.x1 + (l.x2 - l.x1) * share},${l.y1 + (l.y2 - l.y1) * share})`}>
      <circle r={8 * scale} fill={fill} />
      <text
        textAnchor="middle"
        dominantBaseline="central"
        style={{ fontSize: (paths > 99 ? 8 : 11) * scale, fontWeight: 700 }}
        fill={color('panel')}
      >
        {paths}
      </text>
    </g>
  );
}

/** Paths of before: a thin line beside the link, on the right of who takes it. */
function Before({ l, paths }: { l: Line; paths: number }) {
  const scale = useTextScale();
  const length = Math.hypot(l.x2 - l.x1, l.y2 - l.y1) || 1;
  const ox = (-(l.y2 - l.y1) / length) * aside * scale;
  const oy = ((l.x2 - l.x1) / length) * aside * scale;
  const beside = { x1: l.x1 + ox, y1: l.y1 + oy, x2: l.x2 + ox, y2: l.y2 + oy };
  return (
    <g data-testid="before">
      <Stroke l={beside} stroke={color('plum')} width={1.6 * scale} />
      <Arrow l={beside} fill={color('plum')} size={0.65} />
      {paths > 1 && <Count l={beside} at={0.55} fill={color('plum')} paths={paths} />}
    </g>
  );
}

/** How far that is. */
const aside = 6;

function Arrow({ l, fill, size = 1, at = 0.55 }: { l: Line; fill: string; size?: number; at?: number }) {
  const angle = (Math.atan2(l.y2 - l.y1, l.x2 - l.x1) * 180) / Math.PI;
  const x = l.x1 + (l.x2 - l.x1) * at;
  const y = l.y1 + (l.y2 - l.y1) * at;
  const scale = useTextScale();
  return (
    <path
      d="M-6,-6L7,0L-6,6Z"
      fill={fill}
      transform={`translate(${x},${y}) rotate(${angle}) scale(${size * scale})`}
    />
  );
}

/** The cost at a link's end, and its port and address when they are asked for. */
function EndLabel({
  l,
  place,
  end,
  full,
}: {
  l: Line;
  place: number | undefined;
  end: MapEnd;
  full: boolean;
}) {
  const role = roleWords(end);
  if (!full && endWords(end) === '') return null;
  const at = full ? along(l, 46, 0) : place === undefined ? undefined : costPlaces(l)[place];
  if (!at) return null;
  return (
    <div
      className={full ? 'card-text' : 'card-text card-more'}
      style={{
        position: 'absolute',
        transform: `translate(-50%,-50%) translate(${at.x}px,${at.y}px)`,
        color: color('quiet'),
        pointerEvents: 'none',
        ...(full
          ? {
              background: color('panel'),
              padding: '0 3px',
              borderRadius: 3,
              textAlign: 'center',
              lineHeight: 1.25,
            }
          : {}),
      }}
    >
      {full ? (
        <>
          <b>{end.port}</b> {role} {end.cost ? `cost ${end.cost}` : ''}
          {[...(end.address || end.tags.length === 0 ? [end.address ?? 'no address'] : []), ...end.tags].map(
            (x) => (
              <span key={x} style={{ display: 'block', fontFamily: 'var(--chakra-fonts-mono)' }}>
                {x}
              </span>
            ),
          )}
        </>
      ) : (
        <>
          {role && <b>{role} </b>}
          {end.cost}
        </>
      )}
    </div>
  );
}
