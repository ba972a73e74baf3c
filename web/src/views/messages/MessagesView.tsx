import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useEffect, useState } from 'react';
import { type Message } from '../../shared/api/client';
import { ask, type MessagesChosen } from '../../shared/api/questions';
import { useLong } from '../../shared/api/useLong';
import { deviceOf, portName, useFocus } from '../../shared/focus/focus';
import { LongBodies } from '../../shared/parts/bodies';
import { fetchFile } from '../../shared/parts/csv';
import { useDelayed } from '../../shared/parts/delayed';
import { Choice, Count, Empty, Line, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';
import { duration, exact } from '../../shared/parts/words';
import { useRead } from './read';

const rowsOf = (d: { messages: Message[] }) => d.messages;

/** What routers would write to their logs, newest first; new until somebody says it was seen. */
export function MessagesView() {
  const { id, focus, set } = useFocus();
  const [read, mark] = useRead(id);
  const [only, setOnly] = useState<'all' | 'new' | 'trouble'>('all');
  const [filter, setFilter] = useState('');
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const find = useDelayed(filter.trim(), 200);
  // Between two moments: what was said since the first.
  const earlier = useQuery({
    ...ask.messages(id, focus.since, { limit: 1 }),
    enabled: focus.since !== '',
  });
  const after = focus.since === '' ? 0 : (earlier.data?.newest ?? 0);
  const shown: MessagesChosen = {
    device: deviceOf(focus.who),
    find,
    after,
    read,
    ...(only === 'trouble' && { weight: 'trouble' }),
    ...(only === 'new' && { unread: true }),
  };
  const part = (offset: number, limit: number) => ask.messages(id, focus.when, { ...shown, offset, limit });
  const { first: data, long } = useLong(part, rowsOf, focus.since === '' || earlier.data !== undefined);
  const error = data.error ?? earlier.error;
  if (error) return <Trouble error={error} retry={() => void data.refetch()} />;
  if (!data.data || (focus.since !== '' && !earlier.data)) return <Waiting what="reading the messages" />;
  const { all, found, fresh, newest, messages } = data.data;
  if (newest === 0 && focus.since !== '')
    return <Empty title="No messages">No router logged anything between the two moments.</Empty>;
  if (newest === 0)
    return <Empty title="Nobody has said anything yet">No port came up and no neighbour was met.</Empty>;
  const rowOf = (m: Message) => (
    <Row key={m.number} m={m} fresh={m.number > read} focus={(w) => void set({ who: w })} />
  );
  return (
    <Box p={4} {...(long.large && { h: 'full', minH: 0, display: 'flex', flexDirection: 'column' as const })}>
      <Flex gap={6} mb={3} align="center" wrap="wrap">
        <Count n={all} what="messages" />
        <Count n={fresh} what="not seen yet" tone={fresh ? 'plum' : 'ink'} />
        {find !== '' && <Quiet>{found} match</Quiet>}
        <Box flex={1} />
        <Flex gap={2} align="center">
          <Line
            flex="0 0 175px"
            h="26px"
            value={filter}
            placeholder="find: viaduct.e1, Full"
            aria-label="Find messages"
            onChange={(e) => setFilter(e.target.value)}
          />
          <Choice on={only === 'all'} onClick={() => setOnly('all')}>
            All
          </Choice>
          <Choice on={only === 'new'} onClick={() => setOnly('new')}>
            New
          </Choice>
          <Choice on={only === 'trouble'} onClick={() => setOnly('trouble')}>
            Trouble
          </Choice>
          <Plain size="xs" h="26px" disabled={!fresh} onClick={() => mark(newest)}>
            All seen
          </Plain>
          <Plain size="xs" h="26px" onClick={() => fetchFile('messages.csv', csvOf(id, focus.when, shown))}>
            CSV
          </Plain>
        </Flex>
      </Flex>
      <Sheet
        label="Messages"
        ref={setBox}
        {...(long.large && { flex: 1, minH: 0 })}
        heads={['(new)', 'at', 'device', 'port', 'weight', 'message']}
        below={
          found === 0 && (
            <Empty title="None like that">
              {find !== '' ? 'No message has these words.' : 'All of them have been seen.'}
            </Empty>
          )
        }
      >
        <LongBodies long={long} all={<tbody>{messages.map(rowOf)}</tbody>} box={box} height={33} columns={6}>
          {rowOf}
        </LongBodies>
      </Sheet>
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

const csvOf = (id: string, when: string, shown: MessagesChosen) => {
  const chosen = Object.entries(shown).filter(([, v]) => v !== '' && v !== 0);
  return `/api/labs/${id}/messages/csv?${new URLSearchParams([['at', when], ...chosen.map(([k, v]) => [k, String(v)])])}`;
};

/** How many messages of a lab have come since they were looked at; whoever opens it first has missed none. */
export function useUnread(id: string, when: string): number {
  const [read, mark, known] = useRead(id);
  const data = useQuery(ask.messages(id, when, { read, limit: 1 }));
  const newest = data.data?.newest;
  useEffect(() => {
    if (!known && when === 'now' && newest !== undefined) mark(newest);
  }, [known, when, newest, mark]);
  // What was counted before somebody said that all was seen may still be here.
  return known && newest !== undefined && newest > read ? (data.data?.fresh ?? 0) : 0;
}
