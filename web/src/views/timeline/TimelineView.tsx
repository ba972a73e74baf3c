import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type ActionDetail, type LabState } from '../../shared/api/client';
import { ask, type About } from '../../shared/api/questions';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { Line, Mono, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Td, Sheet } from '../../shared/parts/table';
import { Bodies, manyBodies } from '../../shared/parts/bodies';
import { useDelayed } from '../../shared/parts/delayed';
import { duration, exact, orderWords, plural } from '../../shared/parts/words';
import { BeforeAfter } from './BeforeAfter';
import { AllPairs, many } from './AllPairs';
import { Chart } from './Chart';
import { Legend } from './Legend';
import { orderOf, type By, type Order } from './lanes';
import { CriticalPath } from './CriticalPath';
import { Moments } from './Moments';
import { currentAction, stepsAt } from '../../shared/focus/moment';
import { useDrag } from './TimelineDock';

/** How many there were before and after: "64 to 58", or "64 as before". */
const counts = (c: { before: number; after: number }) =>
  c.before === c.after ? `${c.after} as before` : `${c.before} to ${c.after}`;

/** More devices than this have no row. */
const mostRows = 200;

const bys: [By, string][] = [
  ['device', 'device'],
  ['protocol', 'protocol'],
  ['flow', 'flow'],
];
const orders: [Order, string][] = [
  ['first', 'first event'],
  ['near', 'neighbours together'],
  ['path', 'what it waited for'],
  ['name', 'name'],
];

function Pick<T extends string>({
  name,
  value,
  set,
  options,
}: {
  name: string;
  value: T;
  set: (v: T) => void;
  options: [T, string][];
}) {
  return (
    <chakra.label fontSize="12px" color="quiet" display="inline-flex" alignItems="center" gap={1}>
      {name}
      <chakra.select
        value={value}
        onChange={(e) => set(e.target.value as T)}
        bg="raised"
        color="ink"
        border="1px solid"
        borderColor="line"
        borderRadius="md"
        h="26px"
        px={1}
      >
        {options.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </chakra.select>
    </chakra.label>
  );
}

/** All actions, and one of them in full: events, how the convergence came about, outages. */
export function TimelineView({ lab, goto }: { lab: LabState; goto: (line: number) => void }) {
  const { id, focus, set } = useFocus();
  const { seq, at } = currentAction(lab, focus.when);
  const detail = useQuery(ask.action(id, seq));
  const drag = useDrag((t) => void set({ when: t.toFixed(6) }));
  // Between two moments: the actions that lie between.
  const first = focus.since === '' ? 0 : stepsAt(lab, focus.since);
  const last = focus.since === '' ? lab.actions.length : stepsAt(lab, focus.when);
  const shown = lab.actions.filter((a) => a.seq > first && a.seq <= last);
  // The list is short: it shows the action that is looked at, which is the newest unless somebody chose another.
  const here = useRef<HTMLTableRowElement>(null);
  useEffect(() => {
    // What it returns is no clean-up: newer browsers return a promise.
    here.current?.scrollIntoView({ block: 'nearest' });
  }, [seq]);
  // What the critical path leads to, of which action.
  const [about, setAbout] = useState<{ seq: number; of: About }>();
  const [find, setFind] = useState('');
  const sought = useDelayed(find.trim(), 180);
  const found = useQuery({ ...ask.actionPart(id, seq, 0, 0, sought), enabled: seq > 0 && sought !== '' });
  const [by, setBy] = useState<By>('device');
  const [order, setOrder] = useState<Order>('first');
  // The causes are found by doing the action again: with many devices that waits until somebody asks.
  const map = useQuery(ask.map(id, 'now'));
  const [wanted, setWanted] = useState(false);
  const traced = wanted || (map.data !== undefined && map.data.devices.length <= many);
  const path = useQuery({
    ...ask.criticalPath(id, seq, about?.seq === seq ? about.of : {}),
    enabled: traced && seq > 0,
  });
  const lanes = detail.data?.rows;
  const links = map.data?.links;
  const chain = path.data?.path;
  const arranged = useMemo(
    () => orderOf(order, lanes ?? [], links ?? [], chain),
    [order, lanes, links, chain],
  );
  const rows = shown.toReversed();
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const go = (n: number) => void set({ when: n === lab.actions.length ? 'now' : `after-${n}` });
  return (
    <Box p={4}>
      <Moments lab={lab} />
      <Sheet
        label="Actions"
        ref={setBox}
        heads={['#', 'at', 'action', 'convergence', 'what it caused']}
        mb={4}
        maxH="240px"
      >
        {rows.length > manyBodies ? (
          <Bodies
            box={box}
            keys={rows.map((a) => String(a.seq))}
            height={64}
            at={rows.findIndex((a) => a.seq === seq)}
          >
            {(i) => {
              const a = rows[i];
              return a && <ActionRow a={a} on={a.seq === seq} go={() => go(a.seq)} />;
            }}
          </Bodies>
        ) : (
          <tbody>
            {rows.map((a) => (
              <ActionRow
                key={a.seq}
                a={a}
                on={a.seq === seq}
                go={() => go(a.seq)}
                ref={a.seq === seq ? here : undefined}
              />
            ))}
          </tbody>
        )}
      </Sheet>
      {shown.length < lab.actions.length && (
        <Quiet display="block" mb={3} data-testid="unchanged">
          {lab.actions.length - shown.length} of {lab.actions.length} actions lie before or after
        </Quiet>
      )}
      {detail.error && <Trouble error={detail.error} />}
      {detail.isPending && seq > 0 && <Waiting what="reading the events" />}
      {detail.data && (
        <>
          <Flex align="start" gap={3} mb={2}>
            <Box as="h2" fontSize="15px" flex={1}>
              {detail.data.action}, {detail.data.summary}
            </Box>
            <BeforeAfter seq={seq} actions={lab.actions.length} />
          </Flex>
          <Flex align="center" gap={3} mb={2} wrap="wrap">
            <Pick name="rows by" value={by} set={setBy} options={bys} />
            {by === 'device' && <Pick name="order" value={order} set={setOrder} options={orders} />}
            <Line
              w="220px"
              h="26px"
              value={find}
              placeholder="find: neighbour, 10.1.0.0/16, quarry"
              aria-label="Find events"
              onChange={(e) => setFind(e.target.value)}
            />
            {sought !== '' && found.data && (
              <Quiet fontSize="12px" data-testid="found">
                {plural(found.data.found, 'event')}
              </Quiet>
            )}
          </Flex>
          <Box bg="panel" border="1px solid" borderColor="line" borderRadius="md" mb={1}>
            <Chart
              detail={detail.data}
              at={at}
              drag={drag}
              device={deviceOf(focus.who)}
              choose={(d) => void set({ who: d })}
              maxRows={mostRows}
              path={path.data?.path}
              find={find}
              by={by}
              moments={lab.moments}
              order={arranged}
            />
          </Box>
          <Box mb={4}>
            <Legend rows={detail.data.rows} path={path.data?.path !== undefined} />
          </Box>
          {by === 'device' && detail.data.rows.length > mostRows && (
            <Quiet>
              {detail.data.rows.length - mostRows} more devices have events: they are below the {mostRows} in
              this order.
            </Quiet>
          )}
          {detail.data.lost > 0 && (
            <Box color="ochre">
              {detail.data.lost} events of the protocols were not kept: there were too many. Routes and
              outages are complete.
            </Box>
          )}
          <CriticalPath
            d={detail.data}
            actions={lab.actions}
            about={about?.seq === seq ? about.of : {}}
            choose={(of) => setAbout({ seq, of })}
            goto={goto}
            asked={traced}
            ask={() => setWanted(true)}
          />
          <Flex gap={8} wrap="wrap">
            <Outages d={detail.data} />
            <AllPairs
              lab={id}
              d={detail.data}
              choose={(from, to) => {
                setWanted(true);
                setAbout({ seq, of: { from, to } });
                document.querySelector('[data-testid=critical-path]')?.scrollIntoView({ block: 'start' });
              }}
            />
          </Flex>
        </>
      )}
    </Box>
  );
}

interface RowProps {
  a: LabState['actions'][number];
  on: boolean;
  go: () => void;
  ref?: React.Ref<HTMLTableRowElement> | undefined;
}

/** An action and what it caused. */
function ActionRow({ a, on, go, ref }: RowProps) {
  return (
    <Box
      as="tr"
      ref={ref}
      borderTop="1px solid"
      borderColor="line"
      bg={on ? 'plumSoft' : undefined}
      _hover={{ bg: on ? 'plumSoft' : 'paper' }}
    >
      <Td color="quiet">{a.seq}</Td>
      <Td whiteSpace="nowrap">
        <span title={exact(a.start)}>{duration(a.start)}</span>
      </Td>
      <Td>
        <chakra.button fontWeight="600" textAlign="left" onClick={go}>
          {a.action}
        </chakra.button>
      </Td>
      <Td whiteSpace="nowrap">
        {a.convergence === null || a.outcome !== 'settled' ? (
          <Quiet>{a.convergence === null ? 'no forwarding change' : 'not yet'}</Quiet>
        ) : (
          duration(a.convergence)
        )}
      </Td>
      <Td>
        {a.message && (
          <Box fontWeight="600" color={a.origin === 'reverted' ? 'brick' : undefined}>
            {orderWords(a)}
            {a.author && <Quiet fontWeight="400">, {a.author}</Quiet>}
          </Box>
        )}
        {a.summary}
        <Quiet display="block" fontSize="11.5px">
          routes in all tables {counts(a.tables)}, LSAs {counts(a.lsas)}
        </Quiet>
        {a.changes?.slice(0, 6).map((ch) => (
          <Mono key={ch} display="block" color="quiet">
            {ch}
          </Mono>
        ))}
        {(a.changes?.length ?? 0) > 6 && <Quiet>and {(a.changes?.length ?? 0) - 6} more changes</Quiet>}
        {a.diverged && (
          <Box color="ochre">
            a newer engine came to another result than the one recorded
            {a.differs && `: other ${a.differs.join(', ')}`}
          </Box>
        )}
      </Td>
    </Box>
  );
}

function Outages({ d }: { d: ActionDetail }) {
  return (
    <Box data-testid="outages">
      <Box as="h3" fontSize="13px" mb={1}>
        Flows
      </Box>
      {d.flows.map((f) => (
        <Box key={f.name} mb={2}>
          <b>{f.name}</b>{' '}
          {f.outages.length === 0 ? (
            <Box as="span" color="leaf">
              was never out
            </Box>
          ) : null}
          {f.outages.map((o, i) => (
            <Box key={o.from} color="brick">
              {f.outBefore && i === 0 ? (
                'out before the action '
              ) : (
                <>
                  out from <Mono>{exact(o.from - d.start)}</Mono>{' '}
                </>
              )}
              {o.to === null ? (
                'on, to the end'
              ) : (
                <>
                  to <Mono>{exact(o.to - d.start)}</Mono>
                  {f.outBefore && i === 0
                    ? ''
                    : `, ${duration(o.to - o.from)}, ${plural(o.packets ?? 0, 'packet')}`}
                </>
              )}
              {(o.causes ?? [o.cause]).map((cause, i) => (
                <Quiet key={i} display="block">
                  {cause}
                </Quiet>
              ))}
            </Box>
          ))}
          {f.looped.length > 0 && (
            <Box color="ochre">packets looped and still arrived {f.looped.length} times</Box>
          )}
        </Box>
      ))}
      {d.flows.length === 0 && <Quiet>This lab names no flow.</Quiet>}
    </Box>
  );
}
