import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { type ActionDetail, type Pairs } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { Mono, Plain, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { Td } from '../../shared/parts/table';
import { duration, exact } from '../../shared/parts/words';
import { Ring } from './Ring';

/** With more devices than this, all pairs are followed only when somebody asks. */
export const many = 150;

/** Who was out among all hosts and loopbacks, the loops that there were, and the report as a file. */
export function AllPairs({
  lab,
  d,
  choose,
}: {
  lab: string;
  d: ActionDetail;
  choose: (from: string, to: string) => void;
}) {
  // With many devices it takes its time: it is asked for then.
  const map = useQuery(ask.map(lab, 'now'));
  const devices = map.data?.devices.length;
  const [wanted, setWanted] = useState(false);
  const asked = wanted || (devices !== undefined && devices <= many);
  const pairs = useQuery({ ...ask.pairs(lab, d.seq), enabled: asked });
  const href = (format: string) => `/api/labs/${lab}/actions/${d.seq}/report/${format}`;
  return (
    <Box data-testid="pairs" maxW="640px">
      <Box as="h3" fontSize="13px" mb={1}>
        All hosts and loopbacks
      </Box>
      {pairs.error && <Trouble error={pairs.error} />}
      {!asked && devices !== undefined && (
        <Flex align="center" gap={3}>
          <Quiet>The packets of every pair of {devices} devices take a while to follow.</Quiet>
          <Plain size="xs" h="26px" onClick={() => setWanted(true)}>
            Follow them
          </Plain>
        </Flex>
      )}
      {asked && pairs.isPending && (
        <Working
          what="following the packets of every pair"
          query={pairs}
          of={ask.pairs(lab, d.seq).queryKey}
        />
      )}
      {pairs.data && <Found pairs={pairs.data} start={d.start} choose={choose} />}
      <Flex gap={3} mt={2}>
        <Quiet>Report of this convergence:</Quiet>
        {['md', 'json'].map((f) => (
          <Box key={f} asChild color="plum" textDecoration="underline">
            <a href={href(f)} download>
              {f === 'md' ? 'Markdown' : 'JSON'}
            </a>
          </Box>
        ))}
      </Flex>
    </Box>
  );
}

function Found({
  pairs: p,
  start,
  choose,
}: {
  pairs: Pairs;
  start: number;
  choose: (from: string, to: string) => void;
}) {
  const { set } = useFocus();
  return (
    <>
      <Box color={p.total > 0 ? 'brick' : 'leaf'}>
        {p.total === 0
          ? `none of ${p.of} pairs was out`
          : `${p.total} of ${p.of} pairs were out for a time, the longest for ${duration(p.longest)}`}
      </Box>
      {p.out.length > 0 && (
        <Box maxH="180px" overflow="auto" mt={1} tabIndex={0} role="region" aria-label="Pairs that were out">
          <table style={{ borderCollapse: 'collapse' }}>
            <tbody>
              {p.out.slice(0, 200).map((x) => (
                <tr key={`${x.from} ${x.to}`}>
                  <Td py="2px">
                    <chakra.button
                      textAlign="left"
                      title="what it waited for"
                      onClick={() => choose(x.from, x.to)}
                      _hover={{ textDecoration: 'underline' }}
                    >
                      {x.from} to {x.to}
                    </chakra.button>
                  </Td>
                  <Td py="2px" textAlign="right">
                    <span title={exact(x.seconds)}>{duration(x.seconds)}</span>
                  </Td>
                  <Td py="2px" color="quiet">
                    {x.where.length > 0 && `ended at ${x.where.join(', ')}`}
                  </Td>
                </tr>
              ))}
            </tbody>
          </table>
        </Box>
      )}
      {p.loops.length > 0 && (
        <Box mt={3} data-testid="loops">
          <Box as="h3" fontSize="13px" mb={1}>
            Loops
          </Box>
          {p.loops.slice(0, 20).map((l, i) => (
            <Flex key={i} gap={3} mb={2} align="center">
              <Ring devices={l.devices} />
              <Box flex={1}>
                <b>{l.devices.join(' - ')}</b>{' '}
                <chakra.button
                  color="plum"
                  textDecoration="underline"
                  onClick={() => void set({ when: l.from.toFixed(6) })}
                >
                  {exact(l.from - start)} after the action
                </chakra.button>
                , {l.until === null ? 'and still' : `for ${duration(l.until - l.from)}`}, for packets to{' '}
                <Mono>{l.toward.slice(0, 6).join(', ')}</Mono>
                {l.toward.length > 6 && ` and ${l.toward.length - 6} more`}
                <Quiet display="block">{l.why}</Quiet>
              </Box>
            </Flex>
          ))}
        </Box>
      )}
    </>
  );
}
