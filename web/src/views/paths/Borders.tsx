import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { Crossing } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { Choice, Empty, Line, Mono, Pick, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';
import { matches } from '../routes/match';
import { across, type CellPair } from './across';

interface Props {
  id: string;
  when: string;
  /** The moment that it is compared with, '' for none. */
  since?: string;
}

/** What an AS and each of its neighbour ASes send each other, prefix by prefix. */
export function Borders({ id, when, since = '' }: Props) {
  const { set } = useFocus();
  const [as, setAs] = useState(0);
  const [filter, setFilter] = useState('');
  const [only, setOnly] = useState(since !== '');
  const now = useQuery(ask.borders(id, when, as));
  const before = useQuery({ ...ask.borders(id, since, as), enabled: since !== '' });
  if (now.error) return <Trouble error={now.error} retry={() => void now.refetch()} />;
  if (before.error) return <Trouble error={before.error} retry={() => void before.refetch()} />;
  if (!now.data || (since && !before.data)) return <Waiting what="reading what crosses between the ASes" />;
  if (now.data.as === 0)
    return <Empty title="No AS has an external session">All peers are in the AS of their router.</Empty>;
  const { columns, rows } = across(now.data, since ? before.data : undefined);
  const wanted = filter.trim();
  const shown = rows.filter(
    (r) => (wanted === '' || matches(r.prefix, wanted)) && (!only || !since || r.differs),
  );
  return (
    <Flex direction="column" minH={0} flex={1}>
      <Flex gap={3} mb={3} align="center" wrap="wrap" flexShrink={0}>
        <Pick
          label="Our AS"
          value={String(now.data.as)}
          onChange={(v) => setAs(Number(v))}
          options={now.data.ases.map((a) => [String(a), `AS ${a}`] as const)}
        />
        {since && (
          <Choice on={only} onClick={() => setOnly(!only)}>
            Only what is different
          </Choice>
        )}
        <Box flex={1} />
        <Quiet>{plural(shown.length, 'prefix', 'prefixes')}</Quiet>
        <Line
          aria-label="Filter prefixes"
          placeholder="prefix"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          w="160px"
        />
      </Flex>
      <Sheet
        label="By neighbour AS"
        flex={1}
        minH={0}
        heads={['prefix', ...columns.map((c) => `AS ${c.as}, ${c.name}`)]}
        below={
          shown.length === 0 && (
            <Empty title={only && since ? 'Nothing is different' : 'No prefix crosses'}>
              {only && since
                ? 'The neighbour ASes send and receive what they did before.'
                : 'No session with another AS carries a prefix that is asked for.'}
            </Empty>
          )
        }
      >
        <tbody>
          {shown.map((r) => (
            <Box as="tr" key={r.prefix} borderTop="1px solid" borderColor="line">
              <Td>
                <chakra.button onClick={() => void set({ to: r.prefix })} title="its whole story">
                  <Mono fontWeight="600">{r.prefix}</Mono>
                </chakra.button>
              </Td>
              {r.cells.map((c, i) => (
                <Td key={i} bg={c.differs ? 'ochreSoft' : undefined} minW="170px">
                  <Side way="received" pair={c.received} />
                  <Side way="sent" pair={c.sent} />
                  {!c.received.now && !c.sent.now && !c.differs && <Quiet>nothing</Quiet>}
                </Td>
              ))}
            </Box>
          ))}
        </tbody>
      </Sheet>
      {now.data.omitted > 0 && (
        <Box color="ochre" mt={2}>
          {now.data.omitted} more prefixes are not shown: put a prefix into the focus to see one of them.
        </Box>
      )}
    </Flex>
  );
}

const tones: Record<Crossing['state'], string> = {
  best: 'leaf',
  accepted: 'ochre',
  refused: 'brick',
  sent: 'ink',
};
const states: Record<Crossing['state'], string> = {
  best: 'best',
  accepted: 'not chosen',
  refused: 'not accepted',
  sent: '',
};

function Side({ way, pair }: { way: 'received' | 'sent'; pair: CellPair }) {
  const { now, before, differs } = pair;
  if (!now && !differs) return null;
  return (
    <Box fontSize="12px">
      <Quiet>{way} </Quiet>
      {now ? (
        <Path c={now} />
      ) : (
        <Box as="span" color="brick" fontWeight="600">
          no longer
        </Box>
      )}
      {differs && (
        <Quiet>
          {' '}
          {before ? (
            <>
              was <Path c={before} faint />
            </>
          ) : (
            'new'
          )}
        </Quiet>
      )}
    </Box>
  );
}

function Path({ c, faint = false }: { c: Crossing; faint?: boolean }) {
  return (
    <Box
      as="span"
      color={faint ? 'quiet' : tones[c.state]}
      title={`at ${c.by.join(', ')}${c.why ? `: ${c.why}` : ''}`}
    >
      <Mono>{c.path === '' ? 'no AS' : c.path}</Mono>
      {states[c.state] && ` ${states[c.state]}`}
      {c.why && `: ${c.why}`}
      {c.sessions < c.of && ` (${c.sessions} of ${c.of} sessions)`}
    </Box>
  );
}
