import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import type { Against, SweepRow } from '../../shared/api/client';
import { ask, sweeping } from '../../shared/api/questions';
import { turns, type Turn } from '../../shared/failing/words';
import { Choice, Empty, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';

/** Two sweeps held against each other: what a change makes worse, and what better. */
export function Held({ id, sweep, before }: { id: string; sweep: SweepRow; before: SweepRow }) {
  const ready = !sweeping(sweep) && !sweeping(before);
  const data = useQuery({ ...ask.sweepAgainst(id, sweep.id, before.id), enabled: ready });
  const [only, setOnly] = useState<Turn | ''>('');
  if (!ready) return <Quiet>Both sweeps have to end before they are held against each other.</Quiet>;
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="holding the sweeps against each other" />;
  const a = data.data;
  const rows = a.changes.filter((c) => only === '' || c.turn === only);
  return (
    <>
      <Flex gap={2} align="center" wrap="wrap">
        <Box flex={1} fontWeight="600" role="status" data-testid="held">
          {heldWords(a)}
        </Box>
        <Choice on={only === ''} onClick={() => setOnly('')}>
          All
        </Choice>
        {(Object.keys(turns) as Turn[])
          .filter((t) => a.changes.some((c) => c.turn === t))
          .map((t) => (
            <Choice key={t} on={only === t} onClick={() => setOnly(t)}>
              {turns[t].words}
            </Choice>
          ))}
      </Flex>
      <Sheet
        label="What is different"
        flex={1}
        minH={0}
        heads={['', 'failure', 'before', 'after']}
        below={
          rows.length === 0 && (
            <Empty title="Nothing is different">Every failure does what it did before.</Empty>
          )
        }
      >
        <tbody>
          {rows.map((c) => (
            <Box as="tr" key={c.title} borderTop="1px solid" borderColor="line" data-testid="held-row">
              <Td color={turns[c.turn].color} fontWeight="600">
                {turns[c.turn].words}
              </Td>
              <Td fontWeight="600">{c.title}</Td>
              <Td>{c.wasSays || <Quiet>cannot happen</Quiet>}</Td>
              <Td>{c.isSays || <Quiet>cannot happen any more</Quiet>}</Td>
            </Box>
          ))}
        </tbody>
      </Sheet>
    </>
  );
}

const heldWords = (a: Against) =>
  `${a.worse === 0 ? 'No failure becomes worse' : a.worse === 1 ? '1 failure becomes worse' : `${a.worse} failures become worse`}, ${a.better} better; ${a.same} do what they did before.`;
