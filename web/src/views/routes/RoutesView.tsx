import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { ask, type RoutesChosen } from '../../shared/api/questions';
import { isAddress } from '../../shared/focus/address';
import { useFocus, instanceOf } from '../../shared/focus/focus';
import { csv, fetchFile, save } from '../../shared/parts/csv';
import { Choice, Count, Empty, Pick, Plain, Trouble, Waiting } from '../../shared/parts/parts';
import { Takes, takeRows } from './Takes';
import { RoutesTable } from './RoutesTable';
import { SummaryHelper } from './SummaryHelper';
import { pageColumns, useFirst, type RoutesShown } from './useRoutes';

const sources = ['all', 'connected', 'static', 'ospf', 'bgp', 'taken'] as const;

const none: string[] = [];
/** With more routers than this, prefixes that all of them treat alike are one row at first. */
const many = 20;

/** One row per prefix, one column per router: where it goes, and from which source. */
export function RoutesView() {
  const { id, focus } = useFocus();
  const [source, setSource] = useState<(typeof sources)[number]>('all');
  const takes = useQuery(ask.takes(id, focus.when));
  const [crossing, setCrossing] = useState(false);
  const [picked, setPicked] = useState<string[]>([]);
  const [area, setArea] = useState('');
  const map = useQuery(ask.map(id, focus.when));
  const who = instanceOf(focus.who);
  const [columnsOf, setColumnsOf] = useState('');
  const [joins, setJoins] = useState<boolean>();
  const [of, setOf] = useState('');

  const chosen: RoutesChosen = {
    ...(isAddress(focus.to) && { to: focus.to }),
    ...(source !== 'all' && { source }),
    ...(who ? { device: who } : chosenBy(columnsOf)),
  };
  // Who has not said otherwise sees prefixes that all routers treat alike as one row where there are many.
  const routers = map.data?.devices.filter((d) => d.kind === 'router').length ?? 0;
  const grouped = joins ?? routers > many;
  const shown: RoutesShown = { ...chosen, ...(of ? { of } : grouped && { grouped }) };
  const data = useFirst(id, focus.when, shown);
  const devices = data.data?.devices ?? none;
  // A name in focus matches no prefix.
  const named = focus.to !== '' && !focus.to.startsWith('flow ') && !isAddress(focus.to);
  const total = named ? 0 : (data.data?.total ?? 0);
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the routes" />;
  if (total === 0 && !named && Object.keys(shown).length === 0)
    return <Empty title="No routes">No router of this lab has a port with an address that is up.</Empty>;
  const several = (takes.data?.length ?? 0) > 0;
  const shownCrossing = crossing && several;
  const areas = [...new Set(map.data?.devices.flatMap((d) => d.areas))].sort();
  const numbers = [...new Set(map.data?.devices.flatMap((d) => d.as ?? []))].sort((a, b) => a - b);
  const choices: (readonly [string, string])[] = [
    ['', 'all routers'],
    ...(areas.length > 1 ? areas.map((a) => [`area ${a}`, `area ${a}`] as const) : []),
    ...(numbers.length > 1 ? numbers.map((n) => [`as ${n}`, `AS ${n}`] as const) : []),
    ...(areas.length > 1 || numbers.length > 0 ? roles : []),
  ];
  return (
    <Flex direction="column" h="full" p={4} minH={0}>
      <Flex gap={6} mb={3} align="center" wrap="wrap">
        <Count n={named ? 0 : data.data.prefixes} what="prefixes" />
        <Count n={named ? 0 : data.data.routes} what="routes" />
        {devices.length > pageColumns && <Count n={devices.length} what="columns" />}
        <Box flex={1} />
        <Flex gap={2} wrap="wrap">
          {sources
            .filter((s) => s !== 'taken' || several)
            .map((s) => (
              <Choice
                key={s}
                on={source === s && !shownCrossing}
                onClick={() => {
                  setSource(s);
                  setCrossing(false);
                }}
              >
                {s === 'all' ? 'All sources' : s === 'ospf' || s === 'bgp' ? s.toUpperCase() : s}
              </Choice>
            ))}
          {several && (
            <Choice on={shownCrossing} onClick={() => setCrossing(!crossing)}>
              What crosses
            </Choice>
          )}
        </Flex>
        <Plain
          size="xs"
          h="26px"
          disabled={named && !shownCrossing}
          onClick={() =>
            shownCrossing
              ? save('crossings.csv', 'text/csv', csv(takeRows(takes.data ?? [])))
              : fetchFile('routes.csv', csvOf(id, focus.when, chosen))
          }
        >
          CSV
        </Plain>
      </Flex>
      <Flex gap={3} mb={3} align="center" color="quiet" fontSize="12px">
        {!who && choices.length > 1 && (
          <Pick label="Columns" value={columnsOf} onChange={setColumnsOf} options={choices} />
        )}
        {(grouped || data.data.prefixes > many) && (
          <Choice on={grouped && !of} onClick={() => (of ? setOf('') : setJoins(!grouped))}>
            Alike as one row
          </Choice>
        )}
        {of && (
          <Choice on onClick={() => setOf('')}>
            alike with {of} <span aria-hidden>✕</span>
          </Choice>
        )}
        <Box flex={1} />
        <span>One prefix for several: mark rows, or choose an area whose networks are to be joined.</span>
        <chakra.select
          aria-label="Area to summarise"
          value={area}
          onChange={(e) => {
            setArea(e.target.value);
            setPicked([]);
          }}
          bg="panel"
          color="ink"
          border="1px solid"
          borderColor="line"
          borderRadius="md"
          h="24px"
        >
          <option value="">no area</option>
          {areas.map((a) => (
            <option key={a} value={a}>
              area {a}
            </option>
          ))}
        </chakra.select>
      </Flex>
      {(picked.length > 0 || area !== '') && (
        <SummaryHelper
          id={id}
          when={focus.when}
          prefixes={picked}
          area={picked.length > 0 ? '' : area}
          close={() => {
            setPicked([]);
            setArea('');
          }}
        />
      )}
      {shownCrossing && <Takes takes={takes.data ?? []} />}
      <RoutesTable
        id={id}
        when={focus.when}
        shown={shown}
        devices={devices}
        total={total}
        who={who}
        source={source}
        to={focus.to}
        hidden={shownCrossing}
        alike={setOf}
        picked={picked}
        pick={setPicked}
      >
        {total === 0 && (
          <Empty title="No prefix like that">
            {named
              ? `${focus.to} is neither a prefix nor an address.`
              : 'Nothing matches the focus and the source that you chose.'}
          </Empty>
        )}
      </RoutesTable>
    </Flex>
  );
}

/** The choice of columns as it is asked for: "area 1", "as 64500" or "role reflector". */
function chosenBy(columns: string): RoutesChosen {
  const [what, value = ''] = columns.split(' ');
  if (what === 'area') return { area: value };
  if (what === 'as') return { as: Number(value) };
  if (what === 'role') return { role: value as NonNullable<RoutesChosen['role']> };
  return {};
}

const roles = [
  ['role area-border', 'area border routers'],
  ['role as-boundary', 'AS boundary routers'],
  ['role reflector', 'route reflectors'],
] as const;

/** Where the routes that are chosen are as a file. */
const csvOf = (id: string, when: string, chosen: RoutesChosen) =>
  `/api/labs/${id}/routes/csv?${new URLSearchParams({ at: when, ...Object.fromEntries(Object.entries(chosen).map(([k, v]) => [k, String(v)])) })}`;
