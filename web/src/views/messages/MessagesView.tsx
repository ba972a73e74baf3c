import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useEffect, useState } from 'react';
import { type Message } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { deviceOf, portName, useFocus } from '../../shared/focus/focus';
import { csv, save } from '../../shared/parts/csv';
import { Choice, Count, Empty, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';
import { duration, exact } from '../../shared/parts/words';
import { useRead } from './read';

/** As many rows as are drawn; the filters bring the others up. */
const most = 300;

/** What routers would write to their logs, newest first; new until somebody says it was seen. */
export function MessagesView() {
  const { id, focus, set } = useFocus();
  const data = useQuery(ask.messages(id, focus.when));
  const earlier = useQuery(ask.messages(id, focus.since || focus.when));
  const [read, mark] = useRead(id);
  const [only, setOnly] = useState<'all' | 'new' | 'trouble'>('all');
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the messages" />;
  // Between two moments: what was said since the first.
  const known = focus.since === '' ? 0 : Math.max(0, ...(earlier.data?.messages ?? []).map((m) => m.number));
  const all = data.data.messages.filter((m) => m.number > known);
  if (all.length === 0 && focus.since !== '')
    return <Empty title="No messages">No router logged anything between the two moments.</Empty>;
  if (all.length === 0)
    return <Empty title="Nobody has said anything yet">No port came up and no neighbour was met.</Empty>;
  const who = deviceOf(focus.who);
  const mine = all.filter((m) => !who || m.device === who);
  const rows = mine.filter(
    (m) => only === 'all' || (only === 'new' ? m.number > read : m.weight === 'trouble'),
  );
  const unread = mine.filter((m) => m.number > read).length;
  return (
    <Box p={4}>
      <Flex gap={6} mb={3} align="center" wrap="wrap">
        <Count n={mine.length} what="messages" />
        <Count n={unread} what="not seen yet" tone={unread ? 'plum' : 'ink'} />
        <Box flex={1} />
        <Choice on={only === 'all'} onClick={() => setOnly('all')}>
          All
        </Choice>
        <Choice on={only === 'new'} onClick={() => setOnly('new')}>
          New
        </Choice>
        <Choice on={only === 'trouble'} onClick={() => setOnly('trouble')}>
          Trouble
        </Choice>
        <Plain size="xs" h="26px" disabled={!unread} onClick={() => mark(all[0]?.number ?? 0)}>
          All seen
        </Plain>
        <Plain size="xs" h="26px" onClick={() => save('messages.csv', 'text/csv', csv(toRows(rows)))}>
          CSV
        </Plain>
      </Flex>
      <Sheet
        label="Messages"
        heads={['(new)', 'at', 'device', 'port', 'weight', 'message']}
        below={rows.length === 0 && <Empty title="None like that">All of them have been seen.</Empty>}
      >
        <tbody>
          {rows.slice(0, most).map((m) => (
            <Row key={m.number} m={m} fresh={m.number > read} focus={(w) => void set({ who: w })} />
          ))}
        </tbody>
      </Sheet>
      {rows.length + data.data.omitted > most && (
        <Quiet display="block" mt={2}>
          {Math.max(0, rows.length - most) + data.data.omitted} older messages are not drawn; put one router
          in focus to see its own.
        </Quiet>
      )}
    </Box>
  );
}

function Row({ m, fresh, focus }: { m: Message; fresh: boolean; focus: (who: string) => void }) {
  return (
    <Box as="tr" borderTop="1px solid" borderColor="line" fontWeight={fresh ? 600 : 400} data-fresh={fresh}>
      <Td w="46px">{fresh && <Box color="plum">new</Box>}</Td>
      <Td whiteSpace="nowrap">
        <span title={exact(m.at)}>{duration(m.at)}</span>
      </Td>
      <Td>
        <chakra.button fontWeight="inherit" onClick={() => focus(m.device)}>
          {m.device}
        </chakra.button>
      </Td>
      <Td>
        {m.port && (
          <chakra.button fontWeight="inherit" onClick={() => focus(portName(m))}>
            {m.port}
          </chakra.button>
        )}
      </Td>
      <Td color={m.weight === 'trouble' ? 'brick' : 'quiet'}>{m.weight}</Td>
      <Td>{m.text}</Td>
    </Box>
  );
}

const toRows = (rows: Message[]) => [
  ['at', 'device', 'port', 'weight', 'message'],
  ...rows.map((m) => [m.at.toFixed(6), m.device, m.port ?? '', m.weight, m.text]),
];

/** How many messages of a lab have come since they were looked at; whoever opens it first has missed none. */
export function useUnread(id: string, when: string): number {
  const data = useQuery(ask.messages(id, when));
  const [read, mark, known] = useRead(id);
  const newest = data.data?.messages[0]?.number ?? (data.data ? 0 : undefined);
  useEffect(() => {
    if (!known && when === 'now' && newest !== undefined) mark(newest);
  }, [known, when, newest, mark]);
  return known ? (data.data?.messages.filter((m) => m.number > read).length ?? 0) : 0;
}
