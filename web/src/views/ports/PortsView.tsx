import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { type Port, type Process } from '../../shared/api/client';
import { ask, type PortsChosen } from '../../shared/api/questions';
import { useLong } from '../../shared/api/useLong';
import { Fixes } from '../../shared/draft/Fixes';
import { deviceOf, portName, refOf, useFocus } from '../../shared/focus/focus';
import { PortDetail } from './PortDetail';
import { useThings } from '../../shared/things/things';
import { SaveCsv } from '../../shared/parts/SaveCsv';
import {
  Choice,
  Count,
  Empty,
  Line,
  Mono,
  Pick,
  Plain,
  Quiet,
  Trouble,
  Waiting,
} from '../../shared/parts/parts';
import { LongBodies } from '../../shared/parts/bodies';
import { useDelayed } from '../../shared/parts/delayed';
import { Sheet, Td } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';

type Order = '' | 'name' | 'down';

const orders: (readonly [Order, string])[] = [
  ['', 'as in the text'],
  ['name', 'name'],
  ['down', 'most down first'],
];

/** One row per port, each router's process above its ports; two marked rows are shown side by side. */
export function PortsView() {
  const { id, focus, set } = useFocus();
  const who = deviceOf(focus.who);
  const [words, setWords] = useState('');
  const find = useDelayed(words.trim(), 200);
  const [filter, setFilter] = useState<'all' | 'ospf' | 'down'>('all');
  const [sort, setSort] = useState<Order>('');
  const [marked, setMarked] = useState<string[]>([]);
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const shown: PortsChosen = {
    ...(who && { device: [who] }),
    ...(filter !== 'all' && { only: filter }),
    ...(find && { find }),
    ...(sort && { sort }),
  };
  const part = (offset: number, limit: number) => ask.ports(id, focus.when, { ...shown, offset, limit });
  const { first: data, long } = useLong(part, ownersOf);
  const both = [...new Set(marked.map(deviceOf))].sort();
  const sides = useQuery({
    ...ask.ports(id, focus.when, { device: both }),
    enabled: marked.length === 2,
  });
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the ports" />;
  const { all, up, ospf, found, matching } = data.data;
  const portsOf = (o: Owner) => (
    <>
      <ProcessRow device={o.name} process={o.process} focus={() => void set({ who: o.name })} />
      {o.ports.map((p) => (
        <PortRow
          key={portName(p)}
          port={p}
          focused={focus.who === portName(p)}
          focus={() => void set({ who: portName(p) })}
          marked={marked.includes(portName(p))}
          mark={(on) =>
            setMarked(on ? [...marked.slice(-1), portName(p)] : marked.filter((m) => m !== portName(p)))
          }
        />
      ))}
    </>
  );
  const pair = marked
    .map((m) => sides.data?.ports.find((p) => portName(p) === m))
    .filter((p) => p !== undefined);
  if (all === 0 && !who) return <Empty title="No ports">The text of this lab names none yet.</Empty>;
  return (
    <Box p={4} {...(long.large && { h: 'full', minH: 0, display: 'flex', flexDirection: 'column' as const })}>
      <Flex gap={6} mb={3} align="center" wrap="wrap">
        <Count n={up} what="ports up" />
        <Count n={all - up} what="down" tone={up < all ? 'brick' : 'ink'} />
        <Count n={ospf} what="with OSPF" />
        {find !== '' && <Quiet>{matching} match</Quiet>}
        <Box flex={1} />
        <Flex gap={2} align="center">
          <Line
            flex="0 0 175px"
            h="26px"
            value={words}
            placeholder="find: viaduct.e1, 10.0.1"
            aria-label="Find ports"
            onChange={(e) => setWords(e.target.value)}
          />
          <Pick label="order" value={sort} onChange={(v) => setSort(v as Order)} options={orders} />
          <Choice on={filter === 'all'} onClick={() => setFilter('all')}>
            All
          </Choice>
          <Choice on={filter === 'ospf'} onClick={() => setFilter('ospf')}>
            OSPF
          </Choice>
          <Choice on={filter === 'down'} onClick={() => setFilter('down')}>
            Down
          </Choice>
          <SaveCsv name="ports.csv" all={ask.ports(id, focus.when, shown)} rows={(d) => portRows(d.ports)} />
        </Flex>
      </Flex>
      {pair.length === 2 && pair[0] && pair[1] && (
        <SideBySide a={pair[0]} b={pair[1]} close={() => setMarked([])} />
      )}
      <Sheet
        label="Ports"
        ref={setBox}
        {...(long.large && { flex: 1, minH: 0 })}
        css={{ '& td, & th': { paddingInline: '7px' } }}
        heads={[
          '(mark)',
          'port',
          'address',
          'status',
          'joined to',
          'area',
          'OSPF',
          'cost',
          'hello, dead',
          'neighbours',
        ]}
        below={
          found === 0 && (
            <Empty title="No port like that">{plural(all, 'port')} in focus, none of them matches.</Empty>
          )
        }
      >
        <LongBodies
          long={long}
          all={ownersOf(data.data).map((o) => (
            <tbody key={o.name}>{portsOf(o)}</tbody>
          ))}
          box={box}
          height={180}
          columns={10}
        >
          {portsOf}
        </LongBodies>
      </Sheet>
      <Box mt={2} color="quiet" fontSize="12px">
        Click a port for its timers, DR and keys; mark two to see them side by side.
      </Box>
    </Box>
  );
}

/** A routing instance of a router, or a host, with its ports. */
interface Owner {
  name: string;
  process: Process | undefined;
  ports: Port[];
}

function ownersOf({ ports, processes }: { ports: Port[]; processes: Process[] }): Owner[] {
  const owned = new Map<string, Owner>();
  for (const p of ports) {
    const name = refOf(p);
    const owner = owned.get(name) ?? { name, process: processes.find((x) => x.device === name), ports: [] };
    owner.ports.push(p);
    owned.set(name, owner);
  }
  return [...owned.values()];
}

function ProcessRow({
  device,
  process: p,
  focus,
}: {
  device: string;
  process: Process | undefined;
  focus: () => void;
}) {
  return (
    <Box as="tr" bg="chosen" borderTop="1px solid" borderColor="line">
      <Box as="td" px={3} py="7px" {...{ colSpan: 10 }}>
        <Box as="span" fontWeight="650" cursor="pointer" onClick={focus}>
          {device}
        </Box>{' '}
        {p === undefined ? (
          <Quiet>host</Quiet>
        ) : p.running ? (
          <Quiet>
            OSPF runs, router ID <Mono>{p.routerId}</Mono> ({p.routerIdFrom}),{' '}
            {p.areas.map((a) => `area ${a}`).join(', ')} on {plural(p.ports, 'port')}
            {p.roles.map((r) => `, ${r}`).join('')}; {plural(p.full, 'neighbour')} Full,{' '}
            {plural(p.lsas, 'LSA')}, {plural(p.spfRuns, 'SPF run')}, reference bandwidth{' '}
            {p.referenceBandwidth}
          </Quiet>
        ) : (
          <Quiet>OSPF does not run: {p.whyNot}</Quiet>
        )}
      </Box>
    </Box>
  );
}

interface RowProps {
  port: Port;
  focused: boolean;
  focus: () => void;
  marked: boolean;
  mark: (on: boolean) => void;
}

function PortRow({ port: p, focused, focus, marked, mark }: RowProps) {
  const o = p.ospf;
  const menu = useThings();
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        bg={focused ? 'plumSoft' : undefined}
        onClick={focus}
        onContextMenu={menu({ kind: 'port', name: portName(p) })}
        cursor="pointer"
        _hover={{ bg: focused ? 'plumSoft' : 'paper' }}
      >
        <Td onClick={(e) => e.stopPropagation()}>
          <input
            type="checkbox"
            aria-label={`mark ${portName(p)}`}
            checked={marked}
            onChange={(e) => mark(e.target.checked)}
          />
        </Td>
        <Td fontWeight="600">{p.port}</Td>
        <Td>{p.address ? <Mono>{p.address}</Mono> : <Quiet>none</Quiet>}</Td>
        <Td>
          {p.up ? (
            <Box color="leaf" fontWeight="500">
              up{p.bandwidth ? <Quiet fontWeight="400"> {p.bandwidth}</Quiet> : null}
            </Box>
          ) : (
            <Box color="brick" title={p.why?.remedy}>
              <b>down</b>, {p.why?.text}
              <Box onClick={(e) => e.stopPropagation()}>
                <Fixes fixes={p.why?.fixes} />
              </Box>
            </Box>
          )}
        </Td>
        <Td color="quiet">{p.joinedTo.join(', ')}</Td>
        <Td>{o?.area}</Td>
        <Td>
          {o && (
            <>
              {o.state}
              {o.priority !== undefined && <Quiet>, priority {o.priority}</Quiet>}
              {o.dr && (
                <Quiet display="block" fontSize="11px">
                  DR {o.dr}
                </Quiet>
              )}
              {o.bdr && (
                <Quiet display="block" fontSize="11px">
                  BDR {o.bdr}
                </Quiet>
              )}
              {o.disabled && <Quiet>, disabled</Quiet>}
              {o.authentication !== 'none' && (
                <Quiet display="block" fontSize="11px">
                  {o.authentication}, set on {o.keysFrom}
                </Quiet>
              )}
            </>
          )}
        </Td>
        <Td>
          {o && (
            <span title={o.costFrom}>
              {o.cost}
              {o.type !== 'loopback' && (
                <Quiet display="block" fontSize="11px" whiteSpace="nowrap">
                  {o.costFrom}
                </Quiet>
              )}
            </span>
          )}
        </Td>
        <Td whiteSpace="nowrap">
          {o && !o.passive && o.type !== 'loopback' && (
            <>
              {o.helloInterval}, {o.deadInterval}
              {o.nextHello !== undefined && (
                <Quiet display="block" fontSize="11px">
                  next in {o.nextHello.toFixed(1)} s
                </Quiet>
              )}
            </>
          )}
        </Td>
        <Td>
          {o?.neighbours.map((n) => (
            <Mono key={n} display="block" whiteSpace="nowrap">
              {n}
            </Mono>
          ))}
        </Td>
      </Box>
      {focused && (
        <Box as="tr" bg="plumSoft">
          <Box as="td" px={3} pb={3} {...{ colSpan: 10 }}>
            <PortDetail port={p} />
          </Box>
        </Box>
      )}
    </>
  );
}

const facts = (p: Port): [string, string][] => [
  ['address', p.address ?? 'none'],
  ['status', p.up ? 'up' : `down: ${p.why?.text ?? ''}`],
  ['bandwidth', p.bandwidth ?? ''],
  ['MTU', String(p.mtu)],
  ['OSPF', p.ospf ? p.ospf.state : 'off'],
  ['area', p.ospf?.area ?? ''],
  ['type', p.ospf?.type ?? ''],
  ['priority', p.ospf?.priority === undefined ? '' : String(p.ospf.priority)],
  ['DR', p.ospf?.dr ?? ''],
  ['BDR', p.ospf?.bdr ?? ''],
  [
    'authentication',
    p.ospf ? `${p.ospf.authentication}${p.ospf.keysFrom ? `, set on ${p.ospf.keysFrom}` : ''}` : '',
  ],
  ['cost', p.ospf ? String(p.ospf.cost) : ''],
  ['hello interval', p.ospf?.helloInterval ?? ''],
  ['dead interval', p.ospf?.deadInterval ?? ''],
  ['retransmit interval', p.ospf?.retransmitInterval ?? ''],
  ['transmit delay', p.ospf?.transmitDelay ?? ''],
  ['instance', p.instance ?? 'main'],
];

const portRows = (ports: Port[]) => [
  ['device', 'port', ...facts(ports[0] ?? ({ joinedTo: [] } as unknown as Port)).map((f) => f[0])],
  ...ports.map((p) => [p.device, p.port, ...facts(p).map((f) => f[1])]),
];

/** Two ports, fact by fact; what differs stands out, but for what must differ. */
function SideBySide({ a, b, close }: { a: Port; b: Port; close: () => void }) {
  const theirs = facts(b);
  return (
    <Box
      bg="panel"
      border="1px solid"
      borderColor="line"
      borderRadius="md"
      p={3}
      mb={3}
      maxW="640px"
      data-testid="side-by-side"
    >
      <Flex mb={2}>
        <Box flex={1} fontWeight="650">
          {portName(a)} and {portName(b)}
        </Box>
        <Plain size="xs" h="24px" onClick={close}>
          Close
        </Plain>
      </Flex>
      <table style={{ borderCollapse: 'collapse', width: '100%' }}>
        <tbody>
          {facts(a).map(([what, value], i) => {
            const other = theirs[i]?.[1] ?? '';
            const differs = value !== other && what !== 'address';
            return (
              <Box as="tr" key={what} bg={differs ? 'brickSoft' : undefined}>
                <Td color="quiet">{what}</Td>
                <Td>
                  <Mono>{value}</Mono>
                </Td>
                <Td>
                  <Mono>{other}</Mono>
                </Td>
                <Td color="brick">{differs ? 'differs' : ''}</Td>
              </Box>
            );
          })}
        </tbody>
      </table>
    </Box>
  );
}
