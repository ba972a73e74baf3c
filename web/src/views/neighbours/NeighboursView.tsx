import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { type Neighbour } from '../../shared/api/client';
import { useAct } from '../../shared/api/orders';
import { ask, type NeighboursChosen } from '../../shared/api/questions';
import { useLong } from '../../shared/api/useLong';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { SaveCsv } from '../../shared/parts/SaveCsv';
import { Choice, Count, Empty, Line, Mono, Pick, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { LongBodies } from '../../shared/parts/bodies';
import { useDelayed } from '../../shared/parts/delayed';
import { Sheet, Td } from '../../shared/parts/table';
import { duration, exact } from '../../shared/parts/words';
import { timeOf } from '../../shared/focus/moment';
import { endName } from './ends';
import { Ladder } from './Ladder';
import { Reasons } from './Reasons';
import { SessionRow, sessionName } from './SessionRow';

type End = Neighbour['a'];

const rowsOf = (d: { neighbours: Neighbour[] }) => d.neighbours;

const orders: (readonly [string, string])[] = [
  ['', 'not up first'],
  ['since', 'latest change'],
  ['name', 'name'],
];

/** One row an adjacency or a session, both ends side by side; what is not up says why. */
export function NeighboursView() {
  const { id, focus, set } = useFocus();
  const who = deviceOf(focus.who);
  const [filter, setFilter] = useState('');
  const [sort, setSort] = useState<'' | 'since' | 'name'>('');
  const find = useDelayed(filter.trim(), 200);
  const lab = useQuery(ask.lab(id));
  const act = useAct(id);
  const [only, setOnly] = useState(false);
  const [protocol, setProtocol] = useState<'' | 'ospf' | 'bgp'>('');
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const shown: NeighboursChosen = {
    ...(who && { device: [who] }),
    ...(only && { down: true }),
    ...(protocol && { protocol }),
    ...(find && { find }),
    ...(sort && { sort }),
  };
  const part = (offset: number, limit: number) => ask.neighbours(id, focus.when, { ...shown, offset, limit });
  const { first: data, long } = useLong(part, rowsOf);
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the neighbours" />;
  const { adjacencies, full, twoWay, sessions, established, down, neighbours: rows } = data.data;
  const now = lab.data ? timeOf(lab.data, focus.when) : 0;
  if (adjacencies + sessions === 0 && !who) {
    return (
      <Empty title="No neighbours are configured">
        OSPF runs on no linked port of this lab, and no router has a BGP peer. Press t and add ospf area 0 to
        the ports that shall speak it, or bgp as NUMBER to a router.
      </Empty>
    );
  }
  const nameOf = (n: Neighbour) =>
    n.protocol === 'bgp' ? sessionName(n) : `${n.a.device}.${n.a.port} ${n.b.device}.${n.b.port}`;
  const rowOf = (n: Neighbour) =>
    n.protocol === 'bgp' ? (
      <SessionRow
        key={nameOf(n)}
        n={n}
        now={now}
        focused={focus.who}
        focus={(w) => void set({ who: w })}
        act={(action) => act.mutate({ action }, { onSuccess: () => void set({ when: 'now' }) })}
        past={focus.when !== 'now'}
      />
    ) : (
      <Row
        key={nameOf(n)}
        id={id}
        when={focus.when}
        n={n}
        now={now}
        focus={(w) => void set({ who: w })}
        focused={focus.who}
      />
    );
  return (
    <Box p={4} {...(long.large && { h: 'full', minH: 0, display: 'flex', flexDirection: 'column' as const })}>
      <Flex gap={6} mb={3} align="center" wrap="wrap">
        {adjacencies > 0 && <Count n={full} what="OSPF adjacencies Full" />}
        {sessions > 0 && <Count n={established} what="BGP sessions Established" />}
        {twoWay > 0 && <Count n={twoWay} what="at 2-Way, as they should" />}
        <Count n={down} what="not up" tone={down > 0 ? 'brick' : 'ink'} />
        {find !== '' && <Quiet>{data.data.found} match</Quiet>}
        <Box flex={1} />
        <Flex gap={2} align="center">
          <Line
            flex="0 0 175px"
            h="26px"
            value={filter}
            placeholder="find: viaduct.e1, 10.0.1"
            aria-label="Find neighbours"
            onChange={(e) => setFilter(e.target.value)}
          />
          <Pick label="order" value={sort} onChange={(v) => setSort(v as typeof sort)} options={orders} />
          {adjacencies > 0 && sessions > 0 && (
            <>
              <Choice on={protocol === 'ospf'} onClick={() => setProtocol(protocol === 'ospf' ? '' : 'ospf')}>
                OSPF
              </Choice>
              <Choice on={protocol === 'bgp'} onClick={() => setProtocol(protocol === 'bgp' ? '' : 'bgp')}>
                BGP
              </Choice>
            </>
          )}
          <Choice on={!only} onClick={() => setOnly(false)}>
            All
          </Choice>
          <Choice on={only} onClick={() => setOnly(true)}>
            Not up
          </Choice>
          <SaveCsv
            name="neighbours.csv"
            all={ask.neighbours(id, focus.when, shown)}
            rows={(d) => toRows(d.neighbours)}
          />
        </Flex>
      </Flex>
      <Sheet
        label="Neighbours"
        ref={setBox}
        {...(long.large && { flex: 1, minH: 0 })}
        heads={['one end', 'other end', 'relation', 'state', 'since', 'dead in']}
        below={
          rows.length === 0 &&
          (find !== '' ? (
            <Empty title="None like that">No adjacency or session has these words.</Empty>
          ) : (
            <Empty title="All of them are up">Nothing is left to show.</Empty>
          ))
        }
      >
        <LongBodies long={long} all={<tbody>{rows.map(rowOf)}</tbody>} box={box} height={72} columns={6}>
          {rowOf}
        </LongBodies>
      </Sheet>
    </Box>
  );
}

interface RowProps {
  id: string;
  when: string;
  n: Neighbour;
  now: number;
  focus: (who: string) => void;
  focused: string;
}

function Row({ id, when, n, now, focus, focused }: RowProps) {
  const on = focused === `${n.a.device}.${n.a.port}` || focused === `${n.b.device}.${n.b.port}`;
  const bad = n.reasons.length > 0 && !n.up;
  const tone = n.up ? 'leaf' : n.state === 'Down' ? 'brick' : 'ochre';
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        bg={on ? 'plumSoft' : n.up ? undefined : 'brickFaint'}
        cursor="pointer"
        onClick={() => focus(`${n.a.device}.${n.a.port}`)}
        data-up={n.up}
      >
        <EndCell e={n.a} />
        <EndCell e={n.b} />
        <Td>
          OSPF, area{' '}
          {n.a.area && n.b.area && n.a.area !== n.b.area
            ? `${n.a.area} and ${n.b.area}`
            : (n.a.area ?? n.b.area)}
          <Box color="quiet">
            {n.segment
              ? `segment ${n.segment}`
              : n.a.port.startsWith('virtual-link')
                ? 'virtual link'
                : 'point-to-point'}
          </Box>
        </Td>
        <Td>
          <Box color={tone} fontWeight="650">
            {n.state}
          </Box>
          {n.a.state !== n.b.state && (
            <Box color="quiet" fontSize="12px">
              {endName(n.a)} sees {n.a.state}, {endName(n.b)} sees {n.b.state}
            </Box>
          )}
        </Td>
        <Td whiteSpace="nowrap">
          <span title={exact(n.since)}>{duration(Math.max(0, now - n.since))}</span>
        </Td>
        <Td whiteSpace="nowrap" color="quiet">
          {n.a.deadIn !== undefined && (
            <span title={`${n.a.device} gives ${n.b.device} up then`}>{n.a.deadIn.toFixed(1)} s</span>
          )}
          {n.a.deadIn !== undefined && n.b.deadIn !== undefined && ', '}
          {n.b.deadIn !== undefined && (
            <span title={`${n.b.device} gives ${n.a.device} up then`}>{n.b.deadIn.toFixed(1)} s</span>
          )}
        </Td>
      </Box>
      {n.reasons.length > 0 && (
        <Box as="tr" bg={on ? 'plumSoft' : bad ? 'brickFaint' : undefined}>
          <Box as="td" px={3} pb={3} {...{ colSpan: 6 }}>
            <Reasons reasons={n.reasons} a={n.a} b={n.b} />
          </Box>
        </Box>
      )}
      {on && !n.b.absent && (
        <Box as="tr" bg="plumSoft">
          <Box as="td" px={3} pb={3} {...{ colSpan: 6 }}>
            <Ladder id={id} when={when} n={n} />
          </Box>
        </Box>
      )}
    </>
  );
}

function EndCell({ e }: { e: End }) {
  return (
    <Td>
      <b>{endName(e)}</b> {e.port}
      <Mono display="block" color="quiet">
        {e.address ?? 'no address'}
      </Mono>
      {e.role && (
        <Box fontSize="11.5px">
          {e.role}, priority {e.priority}
        </Box>
      )}
      <Box color="quiet" fontSize="11.5px">
        {e.routerId ? (
          <>
            router ID <Mono fontSize="11px">{e.routerId}</Mono>
          </>
        ) : (
          'no router ID'
        )}
      </Box>
    </Td>
  );
}

const toRows = (rows: Neighbour[]) => [
  [
    'protocol',
    'a device',
    'a port',
    'a address',
    'a router ID',
    'a state',
    'b device',
    'b port',
    'b address',
    'b router ID',
    'b state',
    'up',
    'reasons',
  ],
  ...rows.map((n) => [
    n.protocol,
    endName(n.a),
    n.a.port,
    n.a.address ?? '',
    n.a.routerId ?? '',
    n.a.state,
    endName(n.b),
    n.b.port,
    n.b.address ?? '',
    n.b.routerId ?? '',
    n.b.state,
    n.up ? 'yes' : 'no',
    n.reasons.map((r) => `${r.what}: ${r.mine ?? ''} / ${r.theirs ?? ''}`).join('; '),
  ]),
];
