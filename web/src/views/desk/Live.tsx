import { Box, Flex, chakra } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { Neighbour, Port } from '../../shared/api/client';
import { useAct } from '../../shared/api/orders';
import { ask } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { portName, useFocus, writeFocus, type View, refOf, sessionOf } from '../../shared/focus/focus';
import { Mono, Plain, Quiet } from '../../shared/parts/parts';
import { Td } from '../../shared/parts/table';
import { duration, exact, plural } from '../../shared/parts/words';
import { carries } from '../neighbours/SessionRow';
import { endName } from '../neighbours/ends';
import { useThings } from '../../shared/things/things';
import { PortDetail } from '../ports/PortDetail';
import { cellLooks } from '../routes/looks';
import { RouteCell } from '../routes/RouteCell';
import { Story } from '../routes/Story';
import { isAddress } from '../../shared/focus/address';

/** As much of the table and of the messages as is shown; the views have the rest. */
const mostRoutes = 40;
const mostMessages = 10;

/** What a device does: its ports with whom they meet, its sessions, its table, its last messages. */
export function Live({ name, past }: { name: string; past: boolean }) {
  const { id, focus } = useFocus();
  const ports = useQuery(ask.ports(id, focus.when, { device: [name] }));
  const neighbours = useQuery(ask.neighbours(id, focus.when, { device: [name] }));
  const now = useQuery(ask.lab(id)).data?.now ?? 0;
  const mine = ports.data?.ports.filter((p) => p.device === name) ?? [];
  const relations = (neighbours.data?.neighbours ?? []).flatMap((n): Seen[] =>
    n.a.device === name
      ? [{ n, near: n.a, far: n.b, side: n.session?.a }]
      : n.b.device === name && !n.b.absent
        ? [{ n, near: n.b, far: n.a, side: n.session?.b }]
        : [],
  );
  const adjacent = relations.filter((r) => r.n.protocol === 'ospf');
  const sessions = relations.filter((r) => r.n.protocol !== 'ospf');
  return (
    <Box
      flex={1}
      minW={0}
      overflow="auto"
      px={4}
      py={2}
      tabIndex={0}
      role="region"
      aria-label={`State of ${name}`}
    >
      <Ports list={mine} met={adjacent} now={now} />
      {sessions.length > 0 && <Sessions list={sessions} past={past} now={now} />}
      <Table name={name} />
      <Messages name={name} />
    </Box>
  );
}

/** A relation as one of its ends has it. */
interface Seen {
  n: Neighbour;
  near: Neighbour['a'];
  far: Neighbour['a'];
  side: NonNullable<Neighbour['session']>['a'];
}

function Part({
  title,
  view,
  note,
  children,
}: {
  title: string;
  view: View;
  note?: string;
  children: ReactNode;
}) {
  const { id, focus } = useFocus();
  return (
    <Box as="section" aria-label={title} mb={4}>
      <Flex gap={3} align="baseline">
        <Box as="h3" fontSize="13px" fontWeight="650">
          {title}
        </Box>
        {note && <Quiet>{note}</Quiet>}
        <Box flex={1} />
        <Box asChild color="plum" fontSize="11.5px" display="inline-flex" alignItems="center" minH="24px">
          <Link to={`/lab/${id}/${view}${writeFocus(focus)}`}>More in {title}</Link>
        </Box>
      </Flex>
      {children}
    </Box>
  );
}

const Rows = ({ children }: { children: ReactNode }) => (
  <Box
    as="table"
    w="full"
    css={{ borderCollapse: 'collapse', '& td': { paddingInline: '6px', paddingBlock: '5px' } }}
  >
    <tbody>{children}</tbody>
  </Box>
);

function Ports({ list, met, now }: { list: Port[]; met: Seen[]; now: number }) {
  const { focus, set } = useFocus();
  return (
    <Part title="Ports" view="ports">
      <Rows>
        {list.map((p) => {
          const name = portName(p);
          const open = focus.who === name;
          const here = met.filter((m) => m.near.port === p.port);
          return (
            <PortRows
              key={name}
              port={p}
              met={here}
              now={now}
              open={open}
              toggle={() => void set({ who: open ? p.device : name })}
            />
          );
        })}
      </Rows>
    </Part>
  );
}

interface PortProps {
  port: Port;
  met: Seen[];
  now: number;
  open: boolean;
  toggle: () => void;
}

function PortRows({ port: p, met, now, open, toggle }: PortProps) {
  const o = p.ospf;
  const menu = useThings();
  const wrong = !p.up || met.some((m) => !m.n.up);
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        onContextMenu={menu({ kind: 'port', name: portName(p) })}
        bg={open ? 'plumSoft' : wrong ? 'brickFaint' : undefined}
      >
        <Td whiteSpace="nowrap">
          <chakra.button
            fontWeight="650"
            onClick={toggle}
            aria-expanded={open}
            title="type, cost, timers, DR, keys"
          >
            {p.port}
          </chakra.button>
          {p.address && (
            <Mono display="block" color="quiet">
              {p.address}
            </Mono>
          )}
          {p.instance && <Quiet display="block">in {p.instance}</Quiet>}
        </Td>
        <Td>
          {p.up ? (
            <Quiet>{p.joinedTo.join(', ')}</Quiet>
          ) : (
            <Box color="brick">
              <b>down</b>, {p.why?.text}
              <Fixes fixes={p.why?.fixes} />
            </Box>
          )}
        </Td>
        <Td>
          {o && (
            <>
              area {o.area}, {o.state}
              {o.type !== 'loopback' && (
                <Quiet display="block" fontSize="11px" whiteSpace="nowrap">
                  cost {o.cost}
                  {!o.passive && `, ${o.helloInterval} / ${o.deadInterval}`}
                </Quiet>
              )}
            </>
          )}
        </Td>
        <Td>
          {met.map((m) => (
            <Met key={`${m.far.device}.${m.far.port}`} m={m} now={now} />
          ))}
        </Td>
      </Box>
      {open && (
        <Box as="tr" bg="plumSoft">
          <Box as="td" px={3} pb={3} {...{ colSpan: 4 }}>
            <PortDetail port={p} />
          </Box>
        </Box>
      )}
    </>
  );
}

/** Whom a port meets, and if they are no neighbours, why, with both ends' values. */
function Met({ m, now }: { m: Seen; now: number }) {
  const { n, near, far } = m;
  const mine = near === n.a;
  return (
    <Box mb={1}>
      <Box color={n.up ? 'leaf' : 'brick'} fontWeight="600">
        {endName(far)} {far.port} {n.state}
        <Quiet fontWeight="400" ml={2} whiteSpace="nowrap" title={exact(n.since)}>
          {duration(Math.max(0, now - n.since))}
        </Quiet>
      </Box>
      {n.reasons.slice(0, 2).map((r) => (
        <Box key={r.code}>
          {r.text}
          {r.mine && r.theirs && (
            <Quiet>
              {' '}
              ({mine ? r.mine : r.theirs} here, {mine ? r.theirs : r.mine} there)
            </Quiet>
          )}
          <Fixes fixes={r.fixes} />
        </Box>
      ))}
    </Box>
  );
}

function Sessions({ list, past, now }: { list: Seen[]; past: boolean; now: number }) {
  const { id, show } = useFocus();
  const act = useAct(id);
  const menu = useThings();
  return (
    <Part title="Neighbours" view="neighbours" note={plural(list.length, 'session')}>
      <Rows>
        {list.map(({ n, near, far, side }) => {
          const session = sessionOf(near, side?.peer ?? far.address ?? '');
          return (
            <Box
              as="tr"
              key={session}
              onContextMenu={menu({ kind: 'session', name: session })}
              borderTop="1px solid"
              borderColor="line"
              bg={n.up ? undefined : 'brickFaint'}
            >
              <Td whiteSpace="nowrap">
                <b>{endName(far)}</b>
                <Mono display="block" color="quiet">
                  {side?.peer ?? far.address}
                </Mono>
              </Td>
              <Td whiteSpace="nowrap">
                AS {side?.peerAs}
                {near.instance && <Quiet display="block">in {near.instance}</Quiet>}
                {side?.client && <Quiet display="block">client</Quiet>}
              </Td>
              <Td>
                <Box color={n.up ? 'leaf' : 'brick'} fontWeight="600">
                  {n.state} <Quiet fontWeight="400">{duration(Math.max(0, now - n.since))}</Quiet>
                </Box>
                {n.reasons.slice(0, 2).map((r) => (
                  <Box key={r.code}>
                    {r.text}
                    <Fixes fixes={r.fixes} />
                  </Box>
                ))}
              </Td>
              <Td>
                {side && n.up && carries(side)}
                {side && (side.import ?? side.export) && (
                  <Quiet display="block" fontSize="11px">
                    {[side.import && `import ${side.import}`, side.export && `export ${side.export}`]
                      .filter(Boolean)
                      .join(', ')}
                  </Quiet>
                )}
              </Td>
              <Td whiteSpace="nowrap">
                <Plain
                  size="xs"
                  h="22px"
                  disabled={past || !side}
                  onClick={() => act.mutate({ action: `reset ${side?.peer ?? ''} on ${refOf(near)}` })}
                >
                  Reset
                </Plain>{' '}
                <Plain size="xs" h="22px" onClick={() => void show('paths', { who: session })}>
                  Paths
                </Plain>
              </Td>
            </Box>
          );
        })}
      </Rows>
      {act.error && <Box color="brick">{act.error.message}</Box>}
    </Part>
  );
}

function Table({ name }: { name: string }) {
  const { id, focus } = useFocus();
  const to = isAddress(focus.to) ? { to: focus.to } : {};
  const routes = useQuery(ask.routes(id, focus.when, { instance: name, ...to, limit: mostRoutes }));
  const all = useQuery(ask.routes(id, focus.when, { device: name, limit: 1, columns: 1 }));
  const [open, setOpen] = useState('');
  const rows = routes.data?.rows ?? [];
  const total = routes.data?.total ?? 0;
  if (rows.length === 0) return null;
  const by = Object.entries(routes.data?.sources ?? {})
    .map(([s, n]) => `${n} ${s === 'ospf' || s === 'bgp' ? s.toUpperCase() : s}`)
    .join(', ');
  const several = (all.data?.devices.length ?? 0) > 1;
  return (
    <Part
      title="Routes"
      view="routes"
      note={`${plural(total, 'prefix', 'prefixes')}${several ? ' in main' : ''}: ${by}`}
    >
      <Box role="table" aria-label={`Routes of ${name}`} css={cellLooks}>
        {rows.map((r) => (
          <Box key={r.prefix} role="rowgroup" borderTop="1px solid" borderColor="line">
            <Box role="row" display="grid" gridTemplateColumns="150px 1fr">
              <Box role="rowheader" py="6px">
                <Mono fontWeight="600">{r.prefix}</Mono>
                <Quiet display="block" fontSize="11px">
                  {r.owner}
                </Quiet>
              </Box>
              <RouteCell
                cell={r.cells[name]}
                dim={false}
                open={open === r.prefix}
                setOpen={(o) => setOpen(o?.prefix ?? '')}
                prefix={r.prefix}
                device={name}
              />
            </Box>
            {open === r.prefix && (
              <Box role="row" pb={3}>
                <Box role="cell">
                  <Story device={name} to={r.prefix} />
                </Box>
              </Box>
            )}
          </Box>
        ))}
      </Box>
      {total > rows.length && <Quiet>and {total - rows.length} more</Quiet>}
    </Part>
  );
}

function Messages({ name }: { name: string }) {
  const { id, focus } = useFocus();
  const messages = useQuery(ask.messages(id, focus.when, { device: name, limit: mostMessages }));
  const rows = messages.data?.messages ?? [];
  if (rows.length === 0) return null;
  return (
    <Part title="Messages" view="messages">
      {rows.map((m) => (
        <Flex key={m.number} gap={3} fontSize="12px" color={m.weight === 'trouble' ? 'brick' : undefined}>
          <Quiet w="70px" flexShrink={0} title={exact(m.at)}>
            {duration(m.at)}
          </Quiet>
          <Quiet w="40px" flexShrink={0}>
            {m.port}
          </Quiet>
          <Box>{m.text}</Box>
        </Flex>
      ))}
    </Part>
  );
}
