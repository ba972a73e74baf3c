import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { ReactFlowProvider } from '@xyflow/react';
import { useMemo, useState, type ReactNode } from 'react';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { Choice, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { ComparisonView, Summary } from '../compare/ComparisonView';
import { Canvas } from './Canvas';
import { comparedOf, type Compared } from './compared';
import { toGraph } from './graph';
import { FlowChoices } from './FlowChoices';
import { useLayout } from './useLayout';
import { cornersOf } from './places';

/** What is different between two moments, on one map or row by row. */
export function MapComparison({ labels }: { labels: boolean }) {
  const [list, setList] = useState(false);
  const choose = (
    <>
      <Choice on={!list} onClick={() => setList(false)}>
        On the map
      </Choice>
      <Choice on={list} onClick={() => setList(true)}>
        As rows
      </Choice>
    </>
  );
  if (list)
    return (
      <Flex direction="column" h="full" minH={0}>
        <Flex gap={2} px={4} pt={3}>
          {choose}
        </Flex>
        <ComparisonView view="map" />
      </Flex>
    );
  return (
    <ReactFlowProvider>
      <OnTheMap labels={labels}>{choose}</OnTheMap>
    </ReactFlowProvider>
  );
}

const nothing = { devices: [], segments: [], edges: [] };
const none = () => undefined;

/** The flows that are drawn: the one in focus, else those that take another path, else the first. */
function shown(flows: Compared['flows'], to: string) {
  const one = flows.find((f) => to === `flow ${f.name}`);
  if (one) return [one];
  const moved = flows.filter((f) => f.moved);
  return moved.length > 0 ? moved : flows.slice(0, 1);
}

function OnTheMap({ labels, children }: { labels: boolean; children: ReactNode }) {
  const { id, focus, set } = useFocus();
  const before = useQuery(ask.map(id, focus.since));
  const after = useQuery(ask.map(id, focus.when));
  const comparison = useQuery(ask.comparison(id, focus.since, focus.when));
  const compared = useMemo(
    () =>
      before.data && after.data && comparison.data && comparedOf(before.data, after.data, comparison.data),
    [before.data, after.data, comparison.data],
  );
  const laid = useLayout(compared ? JSON.stringify(toGraph(compared.map)) : '');
  const places = useMemo(() => compared && laid && { ...laid, ...cornersOf(compared.map) }, [compared, laid]);
  const drafted = useMemo(() => compared && { ...nothing, gone: compared.gone }, [compared]);
  const drawn = useMemo(() => (compared ? shown(compared.flows, focus.to) : []), [compared, focus.to]);
  const paths = useMemo(() => drawn.flatMap((f) => f.is ?? []), [drawn]);
  const were = useMemo(() => drawn.flatMap((f) => f.was ?? []), [drawn]);
  const [link, setLink] = useState('');
  const error = before.error ?? after.error ?? comparison.error;
  if (error) return <Trouble error={error} retry={() => void comparison.refetch()} />;
  if (!compared || !places || !drafted || !comparison.data)
    return (
      <Working
        what="comparing the two moments"
        query={comparison}
        of={ask.comparison(id, focus.since, focus.when).queryKey}
      />
    );
  const flow = drawn.length === 1 ? drawn[0] : undefined;
  const moved = compared.flows.filter((f) => f.moved).length;
  return (
    <Flex direction="column" h="full" minH={0}>
      <Flex gap={2} px={4} pt={3} align="center" wrap="wrap">
        {children}
        <Box w="1px" h="20px" bg="line" />
        {moved > 1 && (
          <Choice on={drawn.length > 1} onClick={() => void set({ to: '' })}>
            All {moved} that moved
          </Choice>
        )}
        <FlowChoices
          flows={compared.flows.map((f) => ({
            name: f.name,
            state: !f.moved ? '' : f.is?.arrives ? 'moved' : 'broken',
            tone: !f.moved ? 'leaf' : f.is?.arrives ? 'ochre' : 'brick',
          }))}
          shown={flow?.name ?? ''}
          choose={(name) => void set({ to: `flow ${name}` })}
        />
        <Box flex={1} />
        <Quiet fontSize="12px" data-testid="tally">
          {compared.tables.size === 0
            ? 'no table changed'
            : `tables of ${plural(compared.tables.size, 'device')}: + came \u2212 went \u2248 moved`}
        </Quiet>
      </Flex>
      <Box px={4} py={1}>
        <Box maxH="76px" overflowY="auto">
          <Summary lines={comparison.data.summary} most={1} />
        </Box>
        {flow && <WayWords flow={flow} />}
        {drawn.length > 1 && <AllWords flows={drawn} />}
      </Box>
      <Box flex={1} minH={0}>
        <Canvas
          map={compared.map}
          places={places}
          drafted={drafted}
          compared={compared}
          were={were}
          paths={paths}
          tree={undefined}
          reached={undefined}
          arcs={false}
          link={link}
          setLink={setLink}
          labels={labels}
          drag={none}
          drop={none}
          tool=""
          shape=""
          edit={none}
          chosen={[]}
          choose={none}
          building={false}
        />
      </Box>
    </Flex>
  );
}

/** What became of several flows, with the lines that they have on the map. */
function AllWords({ flows }: { flows: Compared['flows'] }) {
  const broken = flows.filter((f) => f.was?.arrives && !f.is?.arrives).length;
  const mended = flows.filter((f) => f.was && !f.was.arrives && f.is?.arrives).length;
  return (
    <Flex columnGap={4} rowGap={0} wrap="wrap" fontSize="12px" data-testid="ways">
      <Flex align="center" gap={2}>
        <Before />
        before
      </Flex>
      <Flex align="center" gap={2}>
        <After arrives />
        after
      </Flex>
      <Quiet>a number is how many flows take a link</Quiet>
      {broken > 0 && (
        <Box color="brick">
          {plural(broken, 'flow')} no longer {broken === 1 ? 'arrives' : 'arrive'}
        </Box>
      )}
      {mended > 0 && (
        <Box color="leaf">
          {plural(mended, 'flow')} {mended === 1 ? 'arrives' : 'arrive'} again
        </Box>
      )}
    </Flex>
  );
}

const Before = () => <Box as="span" w="22px" h="2px" bg="plum" />;
const After = ({ arrives }: { arrives: boolean }) => (
  <Box as="span" w="22px" h="5px" borderRadius="full" bg={arrives ? 'leaf' : 'brick'} />
);

/** The two paths of a flow, each with the line that it has on the map. */
function WayWords({ flow }: { flow: Compared['flows'][number] }) {
  const words = (f: Compared['flows'][number]['was']) =>
    f === undefined
      ? 'there is no such flow'
      : f.arrives
        ? f.hops.map((h) => h.device).join(', ')
        : (f.reason ?? 'it does not arrive');
  return (
    <Flex columnGap={4} rowGap={0} wrap="wrap" fontSize="12px" data-testid="ways">
      <Flex align="center" gap={2}>
        <Before />
        before: {words(flow.was)}
      </Flex>
      <Flex align="center" gap={2} color={flow.is && !flow.is.arrives ? 'brick' : undefined}>
        <After arrives={flow.is?.arrives ?? false} />
        after: {flow.moved ? words(flow.is) : 'the same path'}
      </Flex>
    </Flex>
  );
}
