import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { type LabState, type MapData, type Packet } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { cableOf, portName, useFocus } from '../../shared/focus/focus';
import { Choice, Count, Empty, Mono, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Scroll } from '../../shared/parts/table';
import { exact } from '../../shared/parts/words';
import { currentAction } from '../../shared/focus/moment';

/** Seconds as they are typed ("12.5" or "12.5 s"), undefined if it is none. */
const seconds = (typed: string) => /^\s*(\d+(?:\.\d+)?)\s*s?\s*$/.exec(typed)?.[1];

/** The link or segment that is looked at: that of the port in focus, of a router in focus, or the first. */
export function chosenPort(map: MapData, who: string): string {
  const names = map.links.map((l) => l.ends.map(portName));
  const cable = cableOf(who);
  const mine =
    names.find((ends) => ends.includes(cable)) ??
    names.find((ends) => ends.some((e) => e.split('.')[0] === who.split('.')[0])) ??
    names[0];
  return mine?.includes(cable) ? cable : (mine?.find((e) => e.split('.')[0] === who) ?? mine?.[0] ?? '');
}

/** What the devices on a link or segment say to each other over time, each packet opening to its fields. */
export function PacketsView({ lab }: { lab: LabState }) {
  const { id, focus, set } = useFocus();
  const map = useQuery(ask.map(id, focus.when));
  const { seq } = currentAction(lab, focus.when);
  const [whole, setWhole] = useState(false);
  const [stretch, setStretch] = useState({ from: '', to: '' });
  const [kinds, setKinds] = useState<string[]>([]);
  const [open, setOpen] = useState('');
  const action = lab.actions[seq - 1];
  const port = map.data ? chosenPort(map.data, focus.who) : '';
  const from = seconds(stretch.from) ?? (focus.since || (whole || !action ? '0' : action.start.toFixed(9)));
  const to =
    seconds(stretch.to) ??
    (focus.since ? focus.when : whole || !action || seq === lab.actions.length ? 'now' : `after-${seq}`);
  const data = useQuery(ask.packets(id, port, from, to, kinds));
  if (map.error) return <Trouble error={map.error} retry={() => void map.refetch()} />;
  if (!map.data) return <Waiting what="reading the map" />;
  if (map.data.links.length === 0)
    return (
      <Empty title="Nothing is joined">Packets travel over links and segments; this lab has none.</Empty>
    );
  return (
    <Flex direction="column" h="full" minH={0} p={4}>
      <Flex gap={3} mb={2} align="center" wrap="wrap">
        <chakra.select
          aria-label="Link or segment"
          value={port}
          onChange={(e) => void set({ who: e.target.value })}
          bg="panel"
          border="1px solid"
          borderColor="line"
          borderRadius="md"
          h="28px"
          px={2}
        >
          {map.data.links.map((l) => {
            const ends = l.ends.map(portName);
            const value = ends.includes(port) ? port : (ends[0] ?? '');
            return (
              <option key={l.id} value={value}>
                {l.kind === 'segment' ? `segment ${l.name}` : ends.join(' and ')}
              </option>
            );
          })}
        </chakra.select>
        <Choice on={!whole} onClick={() => setWhole(false)}>
          {action ? `during ${action.action}` : 'so far'}
        </Choice>
        <Choice on={whole} onClick={() => setWhole(true)}>
          since the lab began
        </Choice>
        {(['from', 'to'] as const).map((k) => (
          <Box key={k} asChild color="quiet" fontSize="12px">
            <label>
              {k}{' '}
              <chakra.input
                aria-label={`${k}, in seconds since the lab began`}
                placeholder={k === 'from' ? '0 s' : 'now'}
                value={stretch[k]}
                onChange={(e) => setStretch({ ...stretch, [k]: e.target.value })}
                bg="panel"
                color="ink"
                border="1px solid"
                borderColor={stretch[k] && !seconds(stretch[k]) ? 'brick' : 'line'}
                borderRadius="md"
                w="66px"
                h="26px"
                px={2}
              />
            </label>
          </Box>
        ))}
      </Flex>
      <Flex gap={2} mb={3} wrap="wrap" align="center" minH="32px">
        {data.data?.kinds.map((k) => (
          <Choice
            key={k.kind}
            on={kinds.includes(k.kind)}
            onClick={() =>
              setKinds(kinds.includes(k.kind) ? kinds.filter((x) => x !== k.kind) : [...kinds, k.kind])
            }
          >
            {k.kind} {k.count}
          </Choice>
        ))}
        {kinds.length > 0 && (
          <chakra.button color="quiet" textDecoration="underline" onClick={() => setKinds([])}>
            all kinds
          </chakra.button>
        )}
        <Box flex={1} />
        {data.data && <Count n={data.data.kinds.reduce((n, k) => n + k.count, 0)} what="packets" />}
        <chakra.a
          href={`/api/labs/${id}/capture?port=${encodeURIComponent(port)}&from=${from}&to=${to}`}
          border="1px solid"
          borderColor="line"
          borderRadius="md"
          bg="panel"
          px={3}
          h="26px"
          lineHeight="24px"
          fontSize="12px"
        >
          pcapng
        </chakra.a>
      </Flex>
      {data.error && <Trouble error={data.error} retry={() => void data.refetch()} />}
      {data.isPending && <Waiting what="running the stretch again" />}
      {data.data && (
        <Scroll label="Packets" flex={1} minH={0}>
          <Exchange
            ports={data.data.ports}
            packets={data.data.packets}
            start={data.data.from}
            open={open}
            setOpen={setOpen}
          />
          {data.data.packets.length === 0 && (
            <Empty title="Nothing was said">No packet of these kinds in this stretch of time.</Empty>
          )}
          {data.data.omitted > 0 && (
            <Quiet display="block" p={3}>
              {data.data.omitted} more packets are not drawn: choose kinds, or download all of them as pcapng.
            </Quiet>
          )}
        </Scroll>
      )}
    </Flex>
  );
}

/** The width of a port's column. */
const lane = 132;

interface ExchangeProps {
  ports: string[];
  packets: Packet[];
  start: number;
  open: string;
  setOpen: (key: string) => void;
}

function Exchange({ ports, packets, start, open, setOpen }: ExchangeProps) {
  const columns = `92px ${ports.length * lane}px minmax(280px, 1fr)`;
  return (
    <Box minW={`${92 + ports.length * lane + 280}px`}>
      <Box
        display="grid"
        gridTemplateColumns={columns}
        position="sticky"
        top={0}
        bg="panel"
        zIndex={2}
        borderBottom="1px solid"
        borderColor="line"
        fontSize="12px"
      >
        <Box px={3} py={2} color="quiet">
          after
        </Box>
        <Flex>
          {ports.map((p) => (
            <Box key={p} w={`${lane}px`} textAlign="center" py={2} fontWeight="600" truncate title={p}>
              {p}
            </Box>
          ))}
        </Flex>
        <Box px={3} py={2} color="quiet">
          packet
        </Box>
      </Box>
      {packets.map((p, i) => {
        const key = `${p.at} ${p.from} ${i}`;
        return (
          <Box key={key} borderBottom="1px solid" borderColor="line">
            <chakra.button
              display="grid"
              gridTemplateColumns={columns}
              w="full"
              textAlign="left"
              alignItems="center"
              aria-expanded={open === key}
              onClick={() => setOpen(open === key ? '' : key)}
              bg={open === key ? 'plumSoft' : undefined}
              _hover={{ bg: open === key ? 'plumSoft' : 'paper' }}
              data-kind={p.kind}
            >
              <Box px={3} py="5px" color="quiet" title={exact(p.at)} whiteSpace="nowrap">
                <Mono>{(p.at - start).toFixed(3)} s</Mono>
              </Box>
              <Arrow ports={ports} packet={p} />
              <Box px={3} py="5px">
                <b>{p.kind}</b> <Quiet>{p.says}</Quiet>
              </Box>
            </chakra.button>
            {open === key && <Fields packet={p} />}
          </Box>
        );
      })}
    </Box>
  );
}

/** From whom to whom: a line over the columns of the ports. */
function Arrow({ ports, packet }: { ports: string[]; packet: Packet }) {
  const x = (port: string) => ports.indexOf(port) * lane + lane / 2;
  const from = x(packet.from);
  return (
    <svg
      width={ports.length * lane}
      height={26}
      role="img"
      aria-label={`${packet.from} to ${packet.to.join(', ') || 'nobody'}`}
    >
      {ports.map((p) => (
        <line key={p} x1={x(p)} x2={x(p)} y1={0} y2={26} stroke="var(--chakra-colors-line)" />
      ))}
      {packet.to.map((p) => {
        const to = x(p);
        const end = to > from ? to - 6 : to + 6;
        return (
          <g key={p} stroke="var(--chakra-colors-plum)" fill="var(--chakra-colors-plum)">
            <line x1={from} x2={end} y1={13} y2={13} strokeWidth={1.6} />
            <path
              d={
                to > from ? `M${end - 4},9L${to},13L${end - 4},17Z` : `M${end + 4},9L${to},13L${end + 4},17Z`
              }
            />
          </g>
        );
      })}
      <circle cx={from} cy={13} r={3.5} fill="var(--chakra-colors-plum)" />
    </svg>
  );
}

/** A packet to its last field, layer by layer. */
function Fields({ packet }: { packet: Packet }) {
  return (
    <Box
      px={4}
      py={3}
      bg="paper"
      display="grid"
      gridTemplateColumns="repeat(auto-fill, minmax(330px, 1fr))"
      gap={4}
    >
      {packet.layers.map((l, i) => (
        <Box key={i}>
          <Box fontWeight="650" mb={1}>
            {l.name}{' '}
            {l.rfc && (
              <Quiet fontWeight="400" fontSize="11px">
                RFC {l.rfc}
              </Quiet>
            )}
          </Box>
          {l.fields.map((f, k) => (
            <Flex key={k} gap={2}>
              <Quiet w="136px" flexShrink={0}>
                {f.name}
              </Quiet>
              <Mono>{f.value}</Mono>
            </Flex>
          ))}
        </Box>
      ))}
    </Box>
  );
}
