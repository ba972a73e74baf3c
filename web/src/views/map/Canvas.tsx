import {
  ConnectionMode,
  ReactFlow,
  useNodesInitialized,
  useReactFlow,
  useStore,
  type Edge,
  type Node,
} from '@xyflow/react';
import '@xyflow/react/dist/style.css';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type MapData, type Path, type Tree } from '../../shared/api/client';
import { useHands } from '../../shared/draft/drafting';
import { deviceOf, portName, useFocus, sessionOf } from '../../shared/focus/focus';
import { useThings, type Thing } from '../../shared/things/things';
import type { Tool } from './Build';
import {
  AutonomousSystem,
  DeviceCard,
  SegmentPill,
  type CardNode,
  type PillNode,
  type RegionNode,
} from './cards';
import { tallySigns, tallyWords, type Compared } from './compared';
import type { Critical } from './critical';
import { Flights } from './Flights';
import { MapDetail } from './MapDetail';
import {
  costOf,
  labelsOf,
  markOf,
  sessionId,
  sizeOf,
  stopOf,
  stopSides,
  tablesOf,
  virtualId,
  waitsOf,
  whyOf,
  type Beside,
} from './labels';
import { levelOf, spacingOf } from './level';
import { DraftEdge, type DraftEdgeType } from './DraftEdge';
import type { Drafted } from './drafted';
import { TextScale, textScale, useZoom } from './scale';
import { useSame } from '../../shared/parts/same';
import { cardSize, crossedBy, distanceTo, offsetsOf, onTree, segmentId, stopsOf } from './graph';
import type { Places } from './layout';
import { LinkEdge, type LinkEdgeType } from './LinkEdge';
import { labName } from './places';
import { regions, regionWords } from './region';
import { SessionEdge, type SessionEdgeType } from './SessionEdge';
import { WaitedEdge, type WaitedEdgeType } from './WaitedEdge';
import type { Waited } from './waited';
import { VirtualEdge, type VirtualEdgeType } from './VirtualEdge';

const nodeTypes = { device: DeviceCard, segment: SegmentPill, region: AutonomousSystem };
const edgeTypes = {
  link: LinkEdge,
  virtual: VirtualEdge,
  session: SessionEdge,
  draft: DraftEdge,
  waited: WaitedEdge,
};

interface CanvasProps {
  map: MapData;
  places: Places;
  /** The paths that are drawn: one, or those of all flows that moved. */
  paths: Path[];
  /** Another moment in the same map: what came, went, and how tables changed; nothing is edited then. */
  compared?: Compared;
  /** The paths at that moment. */
  were?: Path[];
  /** What the convergence waited for. */
  waited?: Waited | undefined;
  /** What a sweep says of the failure of each thing. */
  critical?: Critical | undefined;
  tree: Tree | undefined;
  /** The ASes in which some router has a route to the prefix in focus, while the ways to it are shown. */
  reached: Set<number> | undefined;
  /** BGP sessions are drawn. */
  arcs: boolean;
  link: string;
  setLink: (port: string) => void;
  labels: boolean;
  drafted: Drafted;
  drag: (card: string, place: { x: number; y: number }) => void;
  drop: (cards: { id: string; position: { x: number; y: number } }[]) => void;
  tool: Tool;
  /** The shape that a click adds: "ring 4". */
  shape: string;
  edit: (...edits: string[]) => void;
  /** The cards that are chosen, by their IDs. */
  chosen: string[];
  choose: (cards: string[]) => void;
  /** Somebody builds: the view stays where it is. */
  building: boolean;
}

/** The map itself: cards, what joins them, and the hands on it. */
export function Canvas(props: CanvasProps) {
  const { map, places, drafted, paths, tree, reached, arcs, link, setLink, labels, drag, drop } = props;
  const { tool, shape, edit, chosen, choose, building, compared, were, waited, critical } = props;
  const { focus, set } = useFocus();
  const hands = useHands();
  const past = hands.past || compared !== undefined;
  const menu = useThings();
  const flow = useReactFlow();
  const ready = useNodesInitialized();
  // The dock below and the panel beside change the room that there is.
  const count = map.devices.length + map.links.length;
  const room = useStore((x) => `${x.width} ${x.height}`);
  const fitted = useRef('');
  const moved = useRef(false);
  const zoom = useZoom(map.devices.length);
  const [stands, setStands] = useState(false);
  // It is ready once its texts are those of the zoom at which it stands.
  useEffect(() => {
    if (stands && zoom === flow.getZoom()) document.body.setAttribute('data-map', 'ready');
  }, [stands, zoom, flow]);
  useEffect(() => {
    // Who has moved the view wants it so: only other cards, or more room at first, fit it anew.
    const stays =
      fitted.current !== '' && (building || (moved.current && fitted.current.endsWith(` ${count}`)));
    if (count === 0 || stays) {
      if (count === 0) fitted.current = `${room} ${count}`;
      document.body.setAttribute('data-map', 'ready');
      return;
    }
    if (!ready) return;
    fitted.current = `${room} ${count}`;
    moved.current = false;
    void flow.fitView({ padding: 0.07, maxZoom: 1.15 }).then(() => setStands(true));
    return () => {
      setStands(false);
      document.body.removeAttribute('data-map');
    };
    // A dragged card moves nothing else: the view stays where it is.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ready, count, flow, room]);

  // Who is asked for by name is shown in the middle; who is pointed at is seen already.
  const who = deviceOf(focus.who);
  const pointed = useRef(who);
  const place = places[who];
  useEffect(() => {
    if (!ready || !place || pointed.current === who) return;
    pointed.current = who;
    moved.current = true;
    const at = { x: place.x + cardSize.router.width / 2, y: place.y + cardSize.router.height / 2 };
    void flow.setCenter(at.x, at.y, { zoom: Math.max(flow.getZoom(), 0.8) });
  }, [ready, who, place, flow]);

  const spacing = useMemo(
    () => spacingOf(map.devices.flatMap((d) => places[d.name] ?? [])),
    [map.devices, places],
  );
  // Below a zoom there are names alone.
  const scale = textScale(zoom);
  const level = levelOf(zoom, spacing);
  const costs = level !== 'names' && level !== 'dots';
  const areas = useMemo(() => regions(map, places), [map, places]);
  const texts = useMemo(() => {
    const notes = areas.map((r) => ({
      x: r.x + r.name.x,
      y: r.y + r.name.y - 11 * scale,
      ...sizeOf(regionWords(r, reached), scale, false),
    }));
    const beside: Beside[] = [];
    for (const [device, lines] of stopsOf(paths)) beside.push({ name: stopOf(device), device, lines });
    for (const [device, lines] of waited?.notes ?? []) beside.push({ name: waitsOf(device), device, lines });
    const after = [...(compared?.tables ?? [])].map(([device, t]) => ({
      name: tablesOf(device),
      device,
      lines: [tallySigns(t)],
    }));
    return labelsOf(map, places, scale, { arcs, costs, notes, beside, after });
  }, [map, places, areas, reached, paths, waited, compared, scale, arcs, costs]);
  const cardsNow: Node[] = useMemo(() => {
    const stops = stopsOf(paths);
    const cards: CardNode[] = map.devices.map((d) => ({
      id: d.name,
      type: 'device',
      measured: cardSize[d.kind],
      ...cardSize[d.kind],
      position: places[d.name] ?? { x: 0, y: 0 },
      data: {
        device: d,
        focused: d.name === who,
        stops: stops.get(d.name) ?? [],
        side: stopSides[texts.get(stopOf(d.name)) ?? 0],
        waitsSide: stopSides[texts.get(waitsOf(d.name)) ?? 0],
        tablesSide: stopSides[texts.get(tablesOf(d.name)) ?? 0],
        far: tree && distanceTo(tree, d.name),
        draft: compared?.came.has(d.name) ?? false,
        gone: drafted.gone.has(d.name),
        tables: tallyOf(compared, d.name),
        waits: waited?.notes.get(d.name),
        critical: critical?.get(d.name),
      },
      draggable: compared === undefined,
      selected: chosen.includes(d.name),
    }));
    // What the draft adds, where it says, else to the right of all.
    const right = Math.max(0, ...Object.values(places).map((p) => p.x)) + 220;
    drafted.devices.forEach(({ device, at }, i) => {
      const size = cardSize[device.kind];
      cards.push({
        id: device.name,
        type: 'device',
        measured: size,
        ...size,
        position: places[device.name] ?? {
          x: at ? at.x - size.width / 2 : right,
          y: at ? at.y - size.height / 2 : 70 * i,
        },
        data: { device, focused: device.name === who, stops: [], far: undefined, draft: true, gone: false },
        draggable: true,
        selected: chosen.includes(device.name),
      });
    });
    const pills: PillNode[] = map.links
      .filter((l) => l.kind === 'segment')
      .map((l) => ({
        id: segmentId(l),
        type: 'segment',
        measured: cardSize.segment,
        ...cardSize.segment,
        position: places[segmentId(l)] ?? { x: 0, y: 0 },
        data: {
          name: l.name ?? '',
          draft: compared?.came.has(segmentId(l)) ?? false,
          gone: drafted.gone.has(segmentId(l)),
          critical: critical?.get(segmentId(l)),
        },
        selected: chosen.includes(segmentId(l)),
      }));
    drafted.segments.forEach(({ name, at }, i) => {
      const id = `segment:${name}`;
      pills.push({
        id,
        type: 'segment',
        measured: cardSize.segment,
        ...cardSize.segment,
        position: places[id] ?? {
          x: at ? at.x - cardSize.segment.width / 2 : right,
          y: at ? at.y - cardSize.segment.height / 2 : -50 * (i + 1),
        },
        data: { name, draft: true, gone: false },
        selected: chosen.includes(id),
      });
    });
    const grounds: RegionNode[] = areas.map((r): RegionNode => ({
      id: `AS ${r.as}`,
      type: 'region',
      measured: { width: r.width, height: r.height },
      width: r.width,
      height: r.height,
      position: { x: r.x, y: r.y },
      data: {
        region: r,
        without: reached !== undefined && !reached.has(r.as),
        words: regionWords(r, reached),
      },
      draggable: false,
      selectable: false,
      focusable: false,
      zIndex: -1,
    }));
    return [...grounds, ...cards, ...pills];
  }, [map, places, areas, texts, who, paths, tree, reached, drafted, compared, waited, critical, chosen]);

  const nodes = useSame(cardsNow);
  const edgesNow: Edge[] = useMemo(() => {
    const over = crossedBy(map, paths);
    const before = crossedBy(map, were ?? []);
    const offsets = offsetsOf(map.links);
    const textsOf = (edge: string) => ({
      near: texts.get(costOf(edge, 'near')),
      far: texts.get(costOf(edge, 'far')),
      why: texts.get(whyOf(edge)),
      mark: texts.get(markOf(edge)),
    });
    const out: (LinkEdgeType | VirtualEdgeType | SessionEdgeType | DraftEdgeType | WaitedEdgeType)[] =
      drafted.edges.map((e) => ({
        id: e.id,
        source: e.from,
        target: e.to,
        type: 'draft',
        data: {},
      }));
    for (const l of map.links) {
      if (l.kind === 'segment') {
        l.ends.forEach((e, i) => {
          const key = `${l.id}/${i}`;
          out.push({
            id: key,
            source: segmentId(l),
            target: e.device,
            type: 'link',
            data: {
              link: l,
              near: undefined,
              far: e,
              over: over.get(key),
              was: before.get(key),
              came: compared?.came.has(key) ?? false,
              tree: tree && onTree(tree, l, i),
              labels,
              offset: 0,
              selected: link === portName(e),
              gone: drafted.gone.has(key),
              harm: critical?.get(segmentId(l))?.harm,
              texts: textsOf(key),
            },
          });
        });
        continue;
      }
      const [a, b] = l.ends;
      if (!a || !b) continue;
      const names = l.ends.map((e) => portName(e));
      out.push({
        id: l.id,
        source: a.device,
        target: b.device,
        type: 'link',
        data: {
          link: l,
          near: a,
          far: b,
          over: over.get(l.id),
          was: before.get(l.id),
          came: compared?.came.has(l.id) ?? false,
          tree: tree && onTree(tree, l),
          labels,
          offset: offsets.get(l.id) ?? 0,
          selected: names.includes(link),
          gone: drafted.gone.has(l.id),
          harm: critical?.get(l.id)?.harm,
          texts: textsOf(l.id),
        },
      });
    }
    for (const h of waited?.hops ?? [])
      out.push({
        id: `waited ${h.from} ${h.to}`,
        source: h.from,
        target: h.to,
        type: 'waited',
        data: {},
        selectable: false,
        focusable: false,
      });
    for (const v of map.virtual) {
      out.push({
        id: virtualId(v),
        source: v.a,
        target: v.b,
        type: 'virtual',
        data: {
          virtual: v,
          choose: () => void set({ who: `${v.a}.${v.port}` }),
          place: texts.get(markOf(virtualId(v))),
        },
      });
    }
    for (const s of arcs ? map.sessions : []) {
      out.push({
        id: sessionId(s),
        source: s.a,
        target: s.b,
        type: 'session',
        data: {
          session: s,
          on: focus.who === sessionOf({ device: s.a, instance: s.inA }, s.peer),
          choose: () => void set({ who: sessionOf({ device: s.a, instance: s.inA }, s.peer) }),
          text: {
            why: texts.has(whyOf(sessionId(s))),
            place: texts.get(whyOf(sessionId(s))) ?? texts.get(markOf(sessionId(s))),
          },
        },
      });
    }
    return out;
  }, [
    map,
    paths,
    were,
    compared,
    waited,
    tree,
    arcs,
    link,
    labels,
    set,
    focus.who,
    drafted,
    texts,
    critical,
  ]);

  const edges = useSame(edgesNow);

  const draftNames = new Set(drafted.devices.map((d) => d.device.name));
  const letGo = (cards: Node[]) => {
    // What is only in the draft is moved in the draft.
    const inDraft = (n: Node) =>
      draftNames.has(n.id) || drafted.segments.some((s) => `segment:${s.name}` === n.id);
    drop(cards.filter((n) => !inDraft(n)));
    const edits = cards.filter(inDraft).map((n) => {
      const x = Math.round(n.position.x + (n.measured?.width ?? 0) / 2);
      const y = Math.round(n.position.y + (n.measured?.height ?? 0) / 2);
      return `${labName(n.id)} at ${x} ${y}`;
    });
    if (edits.length > 0) edit(...edits);
  };
  const add = (e: React.MouseEvent) => {
    if (!tool || past) return;
    const p = flow.screenToFlowPosition({ x: e.clientX, y: e.clientY });
    edit(`new ${tool === 'shape' ? shape : tool} at ${Math.round(p.x)} ${Math.round(p.y)}`);
  };

  return (
    <TextScale value={scale}>
      <ReactFlow
        nodes={nodes}
        edges={edges}
        nodeTypes={nodeTypes}
        edgeTypes={edgeTypes}
        className="map-flow"
        minZoom={0.05}
        nodesConnectable={!past}
        connectionMode={ConnectionMode.Loose}
        connectionRadius={30}
        multiSelectionKeyCode={['Shift', 'Control', 'Meta']}
        onConnect={(x) => x.source !== x.target && edit(`connect ${plain(x.source)} ${plain(x.target)}`)}
        onNodesChange={(changes) => {
          changes.forEach((x) => x.type === 'position' && x.position && drag(x.id, x.position));
          const picked = changes.filter((x) => x.type === 'select');
          if (picked.length === 0) return;
          const next = new Set(chosen);
          for (const x of picked) {
            if (x.selected && !x.id.startsWith('AS ')) next.add(x.id);
            else next.delete(x.id);
          }
          choose([...next]);
        }}
        onMoveStart={(e) => {
          if (e) moved.current = true;
        }}
        onNodeDragStop={(_, __, nodes) => letGo(nodes)}
        onSelectionDragStop={(_, nodes) => letGo(nodes)}
        style={{ cursor: tool ? 'crosshair' : undefined }}
        edgesFocusable
        nodesFocusable
        deleteKeyCode={null}
        panActivationKeyCode={null} // the space key plays
        proOptions={{ hideAttribution: true }}
        onNodeContextMenu={(e, n) => {
          if (n.type === 'device') menu({ kind: 'device', name: n.id })(e);
          if (n.type === 'segment') menu({ kind: 'segment', name: plain(n.id) })(e);
        }}
        onEdgeContextMenu={(e, x) => {
          const found = thingOf(x);
          if (found) menu(found)(e);
        }}
        onNodeClick={(_, n) => {
          if (n.type !== 'device') return;
          pointed.current = n.id;
          void set({ who: n.id });
        }}
        onEdgeClick={(_, e) => {
          if (e.type === 'virtual' || e.type === 'session') {
            (e as VirtualEdgeType | SessionEdgeType).data?.choose();
            return;
          }
          const far = (e as LinkEdgeType).data?.near ?? (e as LinkEdgeType).data?.far;
          if (far) setLink(portName(far));
        }}
        onPaneClick={(e) => {
          setLink('');
          add(e);
        }}
      >
        <MapDetail zoom={zoom} level={level} />
        <Flights map={map} />
      </ReactFlow>
    </TextScale>
  );
}

/** How the tables of a device changed, for its card. */
function tallyOf(compared: Compared | undefined, device: string) {
  const t = compared?.tables.get(device);
  return t && { signs: tallySigns(t), words: tallyWords(t) };
}

/** What an edge of the map is. */
function thingOf(x: Edge): Thing | undefined {
  if (x.type === 'session') {
    const s = (x as SessionEdgeType).data?.session;
    return s && { kind: 'session', name: sessionOf({ device: s.a, instance: s.inA }, s.peer) };
  }
  if (x.type !== 'link') return undefined;
  const end = (x as LinkEdgeType).data?.near ?? (x as LinkEdgeType).data?.far;
  return end && { kind: 'link', name: portName(end) };
}

/** What an edit that connects calls a card. */
const plain = (id: string) => id.replace(/^segment:/, '');
