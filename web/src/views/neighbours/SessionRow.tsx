import { Box, Flex, chakra } from '@chakra-ui/react';
import type { Neighbour, SessionSide } from '../../shared/api/client';
import { useFocus, sessionOf, refOf } from '../../shared/focus/focus';
import { useThings } from '../../shared/things/things';
import { Mono, Plain, Quiet } from '../../shared/parts/parts';
import { Td } from '../../shared/parts/table';
import { duration, exact } from '../../shared/parts/words';
import { endName } from './ends';
import { Reasons } from './Reasons';

interface Props {
  n: Neighbour;
  now: number;
  focused: string;
  focus: (who: string) => void;
  act: (action: string) => void;
  past: boolean;
}

const prefixes = (n: number) => `${n} ${n === 1 ? 'prefix' : 'prefixes'}`;

/** What a session carries, in words: "4 prefixes in, 3 accepted, 2 out". */
export function carries(s: SessionSide): string {
  const accepted = s.accepted === s.received ? '' : `, ${s.accepted} accepted`;
  const waiting = s.waiting > 0 ? `, ${s.waiting} waiting` : '';
  return `${prefixes(s.received)} in${accepted}, ${s.sent} out${waiting}`;
}

/** A session in focus is named by one of its routers and the peer's address there. */
export const sessionName = (n: Neighbour) => sessionNames(n)[0] ?? '';

const sessionNames = (n: Neighbour) => [
  ...(n.session?.a ? [sessionOf(n.a, n.session.a.peer)] : []),
  ...(n.session?.b ? [sessionOf(n.b, n.session.b.peer)] : []),
];

/** One BGP session: both ends in one row, and on a click all there is to know of it. */
export function SessionRow({ n, now, focused, focus, act, past }: Props) {
  const s = n.session;
  const menu = useThings();
  const on = sessionNames(n).includes(focused);
  const tone = n.up ? 'leaf' : n.state === 'Idle' ? 'brick' : 'ochre';
  const group = s?.a?.group ?? s?.b?.group;
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        bg={on ? 'plumSoft' : n.up ? undefined : 'brickFaint'}
        cursor="pointer"
        onClick={() => focus(sessionName(n))}
        onContextMenu={menu({ kind: 'session', name: sessionName(n) })}
        data-up={n.up}
        data-session={sessionName(n)}
      >
        <SessionEnd e={n.a} side={s?.a} />
        <SessionEnd e={n.b} side={s?.b} />
        <Td>
          BGP, {s?.external ? 'external' : 'internal'}
          <Box color="quiet">
            {s?.a?.client ? `${endName(n.b)} is a client` : s?.b?.client ? `${endName(n.a)} is a client` : ''}
            {group ? `${s?.a?.client || s?.b?.client ? ', ' : ''}group ${group}` : ''}
          </Box>
        </Td>
        <Td>
          <Box color={tone} fontWeight="650">
            {n.state}
          </Box>
          {n.a.state !== n.b.state && s?.a && s.b && (
            <Box color="quiet" fontSize="12px">
              {endName(n.a)} is in {n.a.state}, {endName(n.b)} in {n.b.state}
            </Box>
          )}
        </Td>
        <Td whiteSpace="nowrap">
          <span title={exact(n.since)}>{duration(Math.max(0, now - n.since))}</span>
        </Td>
        <Td whiteSpace="nowrap" color="quiet">
          {n.a.deadIn !== undefined && n.b.deadIn !== undefined && (
            <span title={`the hold time runs out at ${endName(n.a)}, and at ${endName(n.b)}`}>
              {n.a.deadIn.toFixed(0)} s, {n.b.deadIn.toFixed(0)} s
            </span>
          )}
          {!n.up && nextTry(s)}
        </Td>
      </Box>
      {n.reasons.length > 0 && (
        <Box as="tr" bg={on ? 'plumSoft' : 'brickFaint'}>
          <Box as="td" px={3} pb={3} {...{ colSpan: 6 }}>
            <Reasons reasons={n.reasons} a={n.a} b={n.b} />
          </Box>
        </Box>
      )}
      {on && (
        <Box as="tr" bg="plumSoft">
          <Box as="td" px={3} pb={4} {...{ colSpan: 6 }}>
            <Flex gap={8} wrap="wrap" align="start">
              {[[n.a, s?.a] as const, [n.b, s?.b] as const].map(
                ([e, side]) => side && <Detail key={refOf(e)} e={e} side={side} act={act} past={past} />,
              )}
            </Flex>
          </Box>
        </Box>
      )}
    </>
  );
}

function nextTry(s: Neighbour['session']): string {
  const soonest = Math.min(s?.a?.nextTry ?? Infinity, s?.b?.nextTry ?? Infinity);
  return soonest === Infinity ? '' : `tried again in ${soonest.toFixed(0)} s`;
}

function SessionEnd({ e, side }: { e: Neighbour['a']; side: SessionSide | undefined }) {
  return (
    <Td>
      <b>{endName(e)}</b> {e.port}
      <Mono display="block" color="quiet">
        {e.address ?? 'no address'}
      </Mono>
      {side ? (
        <Box fontSize="11.5px">
          AS {side.as}
          {e.state === 'Established' && <Quiet>, {carries(side)}</Quiet>}
        </Box>
      ) : (
        <Box fontSize="11.5px" color="brick">
          no such peer
        </Box>
      )}
    </Td>
  );
}

function Detail({
  e,
  side,
  act,
  past,
}: {
  e: Neighbour['a'];
  side: SessionSide;
  act: (action: string) => void;
  past: boolean;
}) {
  const { show } = useFocus();
  const session = sessionOf(e, side.peer);
  const rows: [string, string][] = [
    ['peer', `${side.peer}, expected in AS ${side.peerAs}${side.description ? `, ${side.description}` : ''}`],
    ['import policy', side.import ?? 'none'],
    ['export policy', side.export ?? 'none'],
    ['hold time', side.holdTime],
    ['TCP', side.tcp ? `${side.tcp}, opened ${side.opened ? 'here' : 'there'}` : 'no connection'],
    ['came up', side.ups === 1 ? 'once' : `${side.ups} times`],
    ...(side.ended ? [['last ended', side.ended] as [string, string]] : []),
    ...(side.faults ? [['malformed attributes', `${side.faults} UPDATEs`] as [string, string]] : []),
  ];
  return (
    <Box minW="340px" maxW="560px" flex={1}>
      <Flex align="center" gap={2} mb={1} wrap="wrap">
        <Box fontWeight="650">{refOf(e)}</Box>
        <Box flex={1} />
        <Plain size="xs" h="24px" onClick={() => void show('paths', { who: session, to: '' })}>
          Its tables
        </Plain>
        {!past && (
          <>
            <Plain size="xs" h="24px" onClick={() => act(`reset ${side.peer} on ${refOf(e)}`)}>
              Reset
            </Plain>
            <Plain size="xs" h="24px" onClick={() => act(`resend from ${side.peer} on ${refOf(e)}`)}>
              Ask again
            </Plain>
            <Plain size="xs" h="24px" onClick={() => act(`resend to ${side.peer} on ${refOf(e)}`)}>
              Send again
            </Plain>
          </>
        )}
      </Flex>
      <Box display="grid" gridTemplateColumns="130px 1fr" gap="2px 10px" fontSize="12px">
        {rows.map(([name, value]) => (
          <Box key={name} display="contents">
            <Quiet>{name}</Quiet>
            <span>{value}</span>
          </Box>
        ))}
      </Box>
      <chakra.table fontSize="12px" mt={2} w="full">
        <thead>
          <tr>
            {['capability', 'sent', 'received'].map((h) => (
              <chakra.th key={h} textAlign="left" fontWeight="500" color="quiet">
                {h}
              </chakra.th>
            ))}
          </tr>
        </thead>
        <tbody>
          {side.capabilities.map((c) => (
            <tr key={c.name}>
              <td title={`RFC ${c.rfc}`}>{c.name}</td>
              <td>{c.sent ?? 'no'}</td>
              <td>{c.received ?? 'no'}</td>
            </tr>
          ))}
        </tbody>
      </chakra.table>
      <Box fontSize="12px" mt={2} color="quiet">
        {side.messages
          .filter((m) => m.sent + m.received > 0)
          .map((m) => `${m.type} ${m.sent} sent, ${m.received} received`)
          .join('; ')}
      </Box>
    </Box>
  );
}
