import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { ReactFlowProvider } from '@xyflow/react';
import { useDeferredValue, useMemo, useState } from 'react';
import { http, unwrap, type Flow, type MapData, type MapDevice, type Path } from '../../shared/api/client';
import { useSame } from '../../shared/parts/same';
import { ask } from '../../shared/api/questions';
import { useDrafting } from '../../shared/draft/drafting';
import { deviceOf, portName, useFocus } from '../../shared/focus/focus';
import { currentAction } from '../../shared/focus/moment';
import { Choice, Empty, Plain, Trouble, Waiting } from '../../shared/parts/parts';
import { save } from '../../shared/parts/csv';
import { useKeys } from '../../shared/parts/keys';
import { plural } from '../../shared/parts/words';
import { spread } from './spread';
import { isAddress } from '../../shared/focus/address';
import { Canvas } from './Canvas';
import { Chosen, Tools, type Tool } from './Build';
import { criticalOf } from './critical';
import { draftedOf } from './drafted';
import { Legend } from '../../shared/failing/Legend';
import { toGraph } from './graph';
import { FlowChoices } from './FlowChoices';
import { useLayout } from './useLayout';
import { cornersOf, useDragged } from './places';
import { usePlay } from '../../shared/play/play';
import { stay } from '../../shared/play/stay';
import { instantSvg, playableHtml } from './playable';
import { mapSvg } from './svg';
import { waitedOf } from './waited';

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

/** What edits call a card: a device by its name, a segment by its kind as well. */
const named = (id: string) => id.replace(/^segment:/, 'segment ');

/** The cards of each area, of each AS, and all. */
function groupsOf(devices: MapDevice[]): [string, string[]][] {
  const out = new Map<string, string[]>();
  const add = (group: string, d: MapDevice) => out.set(group, [...(out.get(group) ?? []), d.name]);
  for (const d of devices) {
    add('all', d);
    if (d.kind === 'router') add('routers', d);
    else add('hosts', d);
    for (const a of d.areas) add(`all in area ${a}`, d);
    if (d.as !== undefined) add(`all in AS ${d.as}`, d);
  }
  return [...out].sort(([a], [b]) => (a < b ? -1 : 1));
}

/** The ports of chosen routers: on links between them, or of a single one all, and those towards hosts. */
export function portsOf(chosen: string[], map: MapData): { between: string[]; hosts: string[] } {
  const kinds = new Map(map.devices.map((d) => [d.name, d.kind]));
  const between: string[] = [];
  const hosts: string[] = [];
  for (const l of map.links) {
    const routers = l.ends.filter((e) => kinds.get(e.device) === 'router');
    const mine = routers.filter((e) => chosen.includes(e.device));
    if (routers.length === 1 && l.ends.length > 1) hosts.push(...mine.map((e) => portName(e)));
    else if (mine.length > 1 || (chosen.length === 1 && mine.length === 1))
      between.push(...mine.map((e) => portName(e)));
  }
  return { between, hosts };
}

/** The flow whose way is drawn: the focused one, else the first that is broken, else the first. */
function shownFlow(flows: Flow[], to: string): Flow | undefined {
  const named = to.startsWith('flow ') ? flows.find((f) => f.name === to.slice(5)) : undefined;
  return named ?? flows.find((f) => !f.arrives) ?? flows[0];
}

function Inner({ link, setLink, labels, tree, setTree }: Props) {
  const { id, focus, set } = useFocus();
  const answer = useQuery(ask.map(id, focus.when));
  // What moves on the map goes on while the map of another moment is drawn.
  const map = useDeferredValue(useSame(answer.data));
  // Costs and faults do not move cards: only what is joined to what does.
  const graph = map ? JSON.stringify(toGraph(map)) : '';
  const laid = useLayout(graph);
  const { dragged, drag, drop, clear } = useDragged(id, map);
  const put = useMemo(() => (map ? cornersOf(map) : {}), [map]);
  const places = useMemo(() => laid && { ...laid, ...put, ...dragged }, [laid, put, dragged]);
  const drafting = useDrafting();
  const { dirty, settled } = drafting;
  const sketch = useQuery({
    queryKey: ['sketch', settled],
    queryFn: () => unwrap(http.POST('/api/text/sketch', { body: { text: settled } })),
    enabled: dirty && !drafting.past,
    placeholderData: (p) => p,
  });
  const drafted = useMemo(
    () => map && draftedOf(map, dirty ? sketch.data : undefined),
    [map, dirty, sketch.data],
  );
  const play = usePlay();
  const lab = useQuery(ask.lab(id));
  const titleOf = (from: number) =>
    `${lab.data?.title ?? ''}: ${lab.data?.actions.findLast((a) => a.start <= from)?.action ?? ''}`;
  const [tool, setTool] = useState<Tool>('');
  const [shape, setShape] = useState('ring 4');
  const [chosen, setChosen] = useState<string[]>([]);
  const [error, setError] = useState('');
  const edit = (...edits: string[]) => {
    setError('');
    drafting
      .edit(...edits)
      .catch((e: unknown) => setError(e instanceof Error ? e.message : 'It cannot be made.'));
  };
  const kinds = new Map([
    ...(map?.devices ?? []).map((d) => [d.name, d.kind] as const),
    ...(drafted?.devices ?? []).map((d) => [d.device.name, d.device.kind] as const),
  ]);
  const toggle = (t: Tool) => () => !drafting.past && setTool(tool === t ? '' : t);
  useKeys({
    '1': toggle('router'),
    '2': toggle('host'),
    '3': toggle('segment'),
    '4': toggle('shape'),
    Escape: () => setTool(''),
    ...(tool ? { Enter: () => edit(`new ${tool === 'shape' ? shape : tool}`) } : {}),
    'Ctrl+a': () => setChosen([...kinds.keys()]),
    Delete: () => chosen.length > 0 && edit(...chosen.map((c) => `remove ${named(c)}`)),
  });
  const aimed = focus.to !== '' && !focus.to.startsWith('flow ');
  const who = deviceOf(focus.who);
  const way = useQuery(ask.path(id, focus.when, aimed ? who : '', aimed ? focus.to : ''));
  const root = map?.devices.find((d) => d.name === who && d.routerId)?.name ?? '';
  const shortest = useQuery(ask.tree(id, focus.when, tree ? root : ''));
  const routes = useQuery({
    ...ask.routes(id, focus.when, { to: focus.to, exact: true, limit: 1, columns: 5000 }),
    enabled: aimed && isAddress(focus.to),
  });
  const row = aimed ? routes.data?.rows.find((r) => r.prefix === focus.to) : undefined;
  const links = map?.links;
  const everywhere = useMemo(
    () => (tree && row && links ? spread(row, links) : undefined),
    [tree, row, links],
  );
  const devices = map?.devices;
  const reached = useMemo(
    () =>
      everywhere &&
      row &&
      new Set(devices?.flatMap((d) => (row.cells[d.name] && d.as !== undefined ? [d.as] : []))),
    [everywhere, row, devices],
  );
  const steps = everywhere ?? (tree && root ? shortest.data : undefined);
  const [arcs, setArcs] = useState(true);
  // What the action that is looked at waited for: for the flow in focus, or for its last change of all.
  const [causes, setCauses] = useState(false);
  const { seq } = currentAction(lab.data ?? { now: 0, actions: [], moments: [] }, focus.when);
  const converged = (lab.data?.actions[seq - 1]?.convergence ?? null) !== null;
  const chain = useQuery({
    ...ask.criticalPath(id, seq, focus.to.startsWith('flow ') ? { flow: focus.to.slice(5) } : {}),
    enabled: causes && converged,
  });
  const waits = causes && converged ? chain.data?.path : undefined;
  const waited = useMemo(() => waits && waitedOf(waits), [waits]);
  // What the latest sweep says of each thing's failure.
  const sweeps = useQuery(ask.sweeps(id));
  const sweep = sweeps.data?.find((s) => !s.draft && s.depth === 1 && s.state !== 'failed');
  const [risks, setRisks] = useState(false);
  const swept = useQuery({
    ...ask.sweep(id, sweep?.id ?? '', { limit: 0 }),
    enabled: risks && sweep !== undefined,
  });
  const criticalPlaces = risks && sweep ? swept.data?.places : undefined;
  const critical = useMemo(
    () => (map && criticalPlaces ? criticalOf(map, criticalPlaces) : undefined),
    [map, criticalPlaces],
  );
  const flow = shownFlow(map?.flows ?? [], focus.to);
  const path: Path | undefined = aimed && who ? way.data : flow;
  const paths = useMemo(() => (path && !steps && !critical ? [path] : []), [path, steps, critical]);

  if (answer.error) return <Trouble error={answer.error} retry={() => void answer.refetch()} />;
  if (!map || !places || !drafted) return <Waiting what="laying the map out" />;
  const empty = map.devices.length === 0 && drafted.devices.length === 0;
  return (
    <Flex direction="column" h="full">
      <Flex px={4} py={2} gap={2} align="center" wrap="wrap" minH="42px">
        <FlowChoices
          flows={map.flows.map((f) => ({
            name: f.name,
            state: f.arrives ? 'arrives' : 'broken',
            tone: f.arrives ? 'leaf' : 'brick',
          }))}
          shown={!aimed && !steps && !critical && flow ? flow.name : ''}
          choose={(name) => void set({ to: `flow ${name}` })}
        />
        {row && (
          <Choice on={everywhere !== undefined} onClick={() => setTree(!tree)}>
            to {row.prefix} from everywhere
          </Choice>
        )}
        {map.sessions.length > 0 && (
          <Choice on={arcs} onClick={() => setArcs(!arcs)}>
            BGP sessions
          </Choice>
        )}
        {root && !row && (
          <Choice on={tree} onClick={() => setTree(!tree)}>
            shortest paths of {root}
          </Choice>
        )}
        {converged && (
          <Choice on={causes} onClick={() => setCauses(!causes)} aria-busy={causes && chain.isFetching}>
            what it waited for
          </Choice>
        )}
        {sweep && (
          <Choice on={risks} onClick={() => setRisks(!risks)}>
            if it fails
          </Choice>
        )}
        {critical && <Legend />}
        {everywhere && row && (
          <Box flex={1} minW={0} color="plum" fontWeight="500" data-testid="tree">
            {plural(Object.keys(row.cells).length, 'router')} of{' '}
            {map.devices.filter((d) => d.kind === 'router').length} have a route to {row.prefix}
          </Box>
        )}
        {steps && !everywhere && (
          <Box flex={1} minW={0} color="plum" fontWeight="500" data-testid="tree">
            {`${root} reaches ${plural(new Set(steps.steps.flatMap((s) => s.device ?? [])).size, 'router')}; ${plural(steps.runs, 'run')} of SPF so far`}
          </Box>
        )}
        {causes && converged && (
          <Box
            flex="1 1 300px"
            minW={0}
            fontWeight="500"
            lineClamp={2}
            title={waits?.says}
            data-testid="waited-for"
          >
            {waits
              ? waits.says
              : chain.error
                ? chain.error.message
                : chain.isPending
                  ? 'following the causes'
                  : 'The action itself decided that: nothing was waited for.'}
          </Box>
        )}
        {!steps && path && !critical && !(causes && converged) && (
          <Box
            color={path.arrives ? 'leaf' : 'brick'}
            fontWeight="500"
            data-testid="verdict"
            flex="1 1 300px"
            minW={0}
          >
            {path.arrives
              ? `${path.from} reaches ${path.to}: ${path.hops.map((h) => h.device).join(', ')}`
              : path.reason}
          </Box>
        )}
        {!steps && !path && <Box flex={1} />}
        {(Object.keys(map.places).length > 0 || Object.keys(dragged).length > 0) && (
          <Plain size="xs" h="26px" onClick={clear}>
            Lay out again
          </Plain>
        )}
        <Plain
          size="xs"
          h="26px"
          onClick={() =>
            save(
              'map.svg',
              'image/svg+xml',
              play?.stretch
                ? instantSvg(map, places, play.flights, play.t, play.speed * stay)
                : mapSvg(map, places, path),
            )
          }
        >
          SVG
        </Plain>
        {play?.stretch && (
          <Plain
            size="xs"
            h="26px"
            title="what plays, as a file that plays by itself"
            onClick={() =>
              play.stretch &&
              save(
                'playback.html',
                'text/html',
                playableHtml({
                  title: titleOf(play.stretch.from),
                  map: map,
                  places,
                  ...play.stretch,
                  speed: play.speed,
                  flights: play.flights,
                  events: play.events,
                }),
              )
            }
          >
            HTML
          </Plain>
        )}
      </Flex>
      <Flex px={4} pb={1} gap={2} align="center" minH="30px">
        <Tools
          tool={tool}
          setTool={setTool}
          shape={shape}
          setShape={setShape}
          error={error}
          groups={groupsOf(map.devices)}
          choose={setChosen}
        />
      </Flex>
      <Chosen
        routers={chosen.filter((c) => kinds.get(c) === 'router')}
        cards={chosen.map(named)}
        ports={portsOf(chosen, map)}
        edit={edit}
        clear={() => setChosen([])}
      />
      <Box flex={1} minH={0} position="relative">
        {empty && (
          <Box position="absolute" inset={0} zIndex={1} pointerEvents="none">
            <Empty title="Nothing is here yet">
              Press 1 and click to add a router, 2 for a host. Drag from one to another to join them.
            </Empty>
          </Box>
        )}
        <Canvas
          map={map}
          places={places}
          drafted={drafted}
          paths={paths}
          waited={waited}
          critical={critical}
          tree={steps}
          reached={reached}
          arcs={arcs}
          link={link}
          setLink={setLink}
          labels={labels}
          drag={drag}
          drop={drop}
          tool={tool}
          shape={shape}
          edit={edit}
          chosen={chosen}
          choose={setChosen}
          building={tool !== '' || drafting.dirty || drafting.atOnce}
        />
      </Box>
    </Flex>
  );
}
