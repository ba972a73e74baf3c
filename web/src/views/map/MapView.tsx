import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import {
  ReactFlow,
  ReactFlowProvider,
  useNodesInitialized,
  useReactFlow,
  useStore,
  type Edge,
  type Node,
} from '@xyflow/react';
import '@xyflow/react/dist/style.css';
import { useEffect, useMemo, useState } from 'react';
import { type Flow, type MapData, type Path, type Tree } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { deviceOf, portName, useFocus } from '../../shared/focus/focus';
import { Choice, Empty, Plain, Trouble, Waiting } from '../../shared/parts/parts';
import { save } from '../../shared/parts/csv';
import { plural } from '../../shared/parts/words';
import {
  AutonomousSystem,
  DeviceCard,
  SegmentPill,
  type CardNode,
  type PillNode,
  type RegionNode,
} from './cards';
import {
  cardSize,
  crossings,
  distanceTo,
  onTree,
  segmentId,
  toGraph,
  type Crossing,
  type Graph,
} from './graph';
import { LinkEdge, type LinkEdgeType } from './LinkEdge';
import { regions } from './region';
import { SessionEdge, type SessionEdgeType } from './SessionEdge';
import { spread } from './spread';
import { VirtualEdge, type VirtualEdgeType } from './VirtualEdge';
import { layOut, type Places } from './layout';
import { usePins } from './pins';
import { mapSvg } from './svg';

const nodeTypes = { device: DeviceCard, segment: SegmentPill, region: AutonomousSystem };
const edgeTypes = { link: LinkEdge, virtual: VirtualEdge, session: SessionEdge };

interface Props {
  /** A port of the selected link, '' for none. */
  link: string;
  setLink: (port: string) => void;
  labels: boolean;
  /** The shortest paths of the router in focus are shown. */
  tree: boolean;
  setTree: (on: boolean) => void;
}

/** What is joined to what, and where traffic goes. */
export function MapView(props: Props) {
  return (
    <ReactFlowProvider>
      <Inner {...props} />
    </ReactFlowProvider>
  );
}

/** The flow whose way is drawn: the focused one, else the first that is broken, else the first. */
function shownFlow(flows: Flow[], to: string): Flow | undefined {
  const named = to.startsWith('flow ') ? flows.find((f) => f.name === to.slice(5)) : undefined;
  return named ?? flows.find((f) => !f.arrives) ?? flows[0];
}

function Inner({ link, setLink, labels, tree, setTree }: Props) {
  const { id, focus, set } = useFocus();
  const answer = useQuery(ask.map(id, focus.when));
  // Costs and faults do not move cards: only what is joined to what does.
  const shape = answer.data ? JSON.stringify(toGraph(answer.data)) : '';
  const laid = useMemo(() => (shape ? layOut(JSON.parse(shape) as Graph) : undefined), [shape]);
  const { pins, pin, keep, clear } = usePins(id);
  const places = useMemo(() => laid && { ...laid, ...pins }, [laid, pins]);
  const aimed = focus.to !== '' && !focus.to.startsWith('flow ');
  const who = deviceOf(focus.who);
  const way = useQuery(ask.path(id, focus.when, aimed ? who : '', aimed ? focus.to : ''));
  const root = answer.data?.devices.find((d) => d.name === who && d.routerId)?.name ?? '';
  const shortest = useQuery(ask.tree(id, focus.when, tree ? root : ''));
  const routes = useQuery(ask.routes(id, focus.when));
  const row = aimed ? routes.data?.rows.find((r) => r.prefix === focus.to) : undefined;
  const links = answer.data?.links;
  const everywhere = useMemo(
    () => (tree && row && links ? spread(row, links) : undefined),
    [tree, row, links],
  );
  const devices = answer.data?.devices;
  const reached = useMemo(
    () =>
      everywhere &&
      row &&
      new Set(devices?.flatMap((d) => (row.cells[d.name] && d.as !== undefined ? [d.as] : []))),
    [everywhere, row, devices],
  );
  const steps = everywhere ?? (tree && root ? shortest.data : undefined);
  const [arcs, setArcs] = useState(true);

  if (answer.error) return <Trouble error={answer.error} retry={() => void answer.refetch()} />;
  if (!answer.data || !places) return <Waiting what="laying the map out" />;
  if (answer.data.devices.length === 0) {
    return (
      <Empty title="Nothing is here yet">
        The text of this lab names no device. Press t and write, for example, router depot.
      </Empty>
    );
  }
  const flow = shownFlow(answer.data.flows, focus.to);
  const path: Path | undefined = aimed && who ? way.data : flow;
  return (
    <Flex direction="column" h="full">
      <Flex px={4} py={2} gap={2} align="center" wrap="wrap" minH="42px">
        {answer.data.flows.map((f) => (
          <Choice
            key={f.name}
            on={!aimed && !steps && f === flow}
            onClick={() => void set({ to: `flow ${f.name}` })}
          >
            {f.name}
            <Box as="span" color={!aimed && !steps && f === flow ? 'inherit' : f.arrives ? 'leaf' : 'brick'}>
              {f.arrives ? 'arrives' : 'broken'}
            </Box>
          </Choice>
        ))}
        {row && (
          <Choice on={everywhere !== undefined} onClick={() => setTree(!tree)}>
            to {row.prefix} from everywhere
          </Choice>
        )}
        {answer.data.sessions.length > 0 && (
          <Choice on={arcs} onClick={() => setArcs(!arcs)}>
            BGP sessions
          </Choice>
        )}
        {root && !row && (
          <Choice on={tree} onClick={() => setTree(!tree)}>
            shortest paths of {root}
          </Choice>
        )}
        {everywhere && row && (
          <Box flex={1} minW={0} color="plum" fontWeight="500" data-testid="tree">
            {plural(Object.keys(row.cells).length, 'router')} of{' '}
            {answer.data.devices.filter((d) => d.kind === 'router').length} have a route to {row.prefix}
          </Box>
        )}
        {steps && !everywhere && (
          <Box flex={1} minW={0} color="plum" fontWeight="500" data-testid="tree">
            {`${root} reaches ${plural(new Set(steps.steps.flatMap((s) => s.device ?? [])).size, 'router')}; ${plural(steps.runs, 'run')} of SPF so far`}
          </Box>
        )}
        {!steps && path && (
          <Box
            color={path.arrives ? 'leaf' : 'brick'}
            fontWeight="500"
            data-testid="verdict"
            flex={1}
            minW={0}
          >
            {path.arrives
              ? `${path.from} reaches ${path.to}: ${path.hops.map((h) => h.device).join(', ')}`
              : path.reason}
          </Box>
        )}
        {!steps && !path && <Box flex={1} />}
        {Object.keys(pins).length > 0 && (
          <Plain size="xs" h="26px" onClick={clear}>
            Lay out again
          </Plain>
        )}
        <Plain
          size="xs"
          h="26px"
          onClick={() => save('map.svg', 'image/svg+xml', mapSvg(answer.data, places, path))}
        >
          SVG
        </Plain>
      </Flex>
      <Box flex={1} minH={0}>
        <Canvas
          map={answer.data}
          places={places}
          path={steps ? undefined : path}
          tree={steps}
          reached={reached}
          arcs={arcs}
          link={link}
          setLink={setLink}
          labels={labels}
          pin={pin}
          keep={keep}
        />
      </Box>
    </Flex>
  );
}

interface CanvasProps {
  map: MapData;
  places: Places;
  path: Path | undefined;
  tree: Tree | undefined;
  /** The ASes in which some router has a route to the prefix in focus, while the ways to it are shown. */
  reached: Set<number> | undefined;
  /** BGP sessions are drawn. */
  arcs: boolean;
  link: string;
  setLink: (port: string) => void;
  labels: boolean;
  pin: (card: string, place: { x: number; y: number }) => void;
  keep: () => void;
}

function Canvas({ map, places, path, tree, reached, arcs, link, setLink, labels, pin, keep }: CanvasProps) {
  const { focus, set } = useFocus();
  const flow = useReactFlow();
  const ready = useNodesInitialized();
  // The dock below and the panel beside change the room that there is.
  const count = map.devices.length + map.links.length;
  const room = useStore((x) => `${x.width} ${x.height}`);
  useEffect(() => {
    if (!ready) return;
    void flow
      .fitView({ padding: 0.1, maxZoom: 1.15 })
      .then(() => document.body.setAttribute('data-map', 'ready'));
    return () => document.body.removeAttribute('data-map');
    // A pinned card moves nothing else: the view stays where it is.
  }, [ready, count, flow, room]);

  const nodes: Node[] = useMemo(() => {
    const who = deviceOf(focus.who);
    const cards: CardNode[] = map.devices.map((d) => ({
      id: d.name,
      type: 'device',
      measured: cardSize[d.kind],
      ...cardSize[d.kind],
      position: places[d.name] ?? { x: 0, y: 0 },
      data: {
        device: d,
        focused: d.name === who,
        stops: path?.stopsAt === d.name ? (path.reason ?? '') : '',
        far: tree && distanceTo(tree, d.name),
      },
      draggable: true,
    }));
    const pills: PillNode[] = map.links
      .filter((l) => l.kind === 'segment')
      .map((l) => ({
        id: segmentId(l),
        type: 'segment',
        measured: cardSize.segment,
        ...cardSize.segment,
        position: places[segmentId(l)] ?? { x: 0, y: 0 },
        data: { name: l.name ?? '' },
      }));
    const areas: RegionNode[] = regions(map, places).map((r): RegionNode => ({
      id: `AS ${r.as}`,
      type: 'region',
      measured: { width: r.width, height: r.height },
      width: r.width,
      height: r.height,
      position: { x: r.x, y: r.y },
      data: { region: r, without: reached !== undefined && !reached.has(r.as) },
      draggable: false,
      selectable: false,
      focusable: false,
      zIndex: -1,
    }));
    return [...areas, ...cards, ...pills];
  }, [map, places, focus.who, path, tree, reached]);

  const edges: Edge[] = useMemo(() => {
    const over = new Map<string, Crossing>(path ? crossings(map, path).map((c) => [c.id, c]) : []);
    const pairs = new Map<string, number>();
    const out: (LinkEdgeType | VirtualEdgeType | SessionEdgeType)[] = [];
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
              tree: tree && onTree(tree, l, i),
              labels,
              offset: 0,
              selected: link === portName(e),
            },
          });
        });
        continue;
      }
      const [a, b] = l.ends;
      if (!a || !b) continue;
      const pair = [a.device, b.device].sort().join(' ');
      const nth = pairs.get(pair) ?? 0;
      pairs.set(pair, nth + 1);
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
          tree: tree && onTree(tree, l),
          labels,
          offset: nth,
          selected: names.includes(link),
        },
      });
    }
    for (const v of map.virtual) {
      out.push({
        id: `virtual ${v.a} ${v.port}`,
        source: v.a,
        target: v.b,
        type: 'virtual',
        data: { virtual: v, choose: () => void set({ who: `${v.a}.${v.port}` }) },
      });
    }
    for (const s of arcs ? map.sessions : []) {
      out.push({
        id: `session ${s.a} ${s.peer} ${s.b}`,
        source: s.a,
        target: s.b,
        type: 'session',
        data: {
          session: s,
          on: focus.who === `${s.a}/${s.peer}`,
          choose: () => void set({ who: `${s.a}/${s.peer}` }),
        },
      });
    }
    return out;
  }, [map, path, tree, arcs, link, labels, set, focus.who]);

  return (
    <ReactFlow
      nodes={nodes}
      edges={edges}
      nodeTypes={nodeTypes}
      edgeTypes={edgeTypes}
      minZoom={0.15}
      nodesConnectable={false}
      onNodesChange={(changes) =>
        changes.forEach((x) => x.type === 'position' && x.position && pin(x.id, x.position))
      }
      onNodeDragStop={keep}
      edgesFocusable
      nodesFocusable
      deleteKeyCode={null}
      proOptions={{ hideAttribution: true }}
      onNodeClick={(_, n) => n.type === 'device' && void set({ who: n.id })}
      onEdgeClick={(_, e) => {
        if (e.type === 'virtual' || e.type === 'session') {
          (e as VirtualEdgeType | SessionEdgeType).data?.choose();
          return;
        }
        const far = (e as LinkEdgeType).data?.near ?? (e as LinkEdgeType).data?.far;
        if (far) setLink(portName(far));
      }}
      onPaneClick={() => setLink('')}
    />
  );
}
