import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { type LadderSide, type Neighbour } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { portName } from '../../shared/focus/focus';
import { Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { duration, exact, plural } from '../../shared/parts/words';
import { endName } from './ends';

/** How an adjacency came to its state: the states that each end saw, with their times. */
export function Ladder({ id, when, n }: { id: string; when: string; n: Neighbour }) {
  const data = useQuery(ask.ladder(id, when, portName(n.a), portName(n.b)));
  if (data.error) return <Trouble error={data.error} />;
  if (!data.data) return <Waiting what="reading how it came to this" />;
  return (
    <Flex gap={6} wrap="wrap" data-testid="ladder">
      <Side side={data.data.a} far={endName(n.b)} />
      <Side side={data.data.b} far={endName(n.a)} />
    </Flex>
  );
}

function Side({ side, far }: { side: LadderSide; far: string }) {
  const first = side.rungs[0];
  return (
    <Box>
      <Box fontSize="12px" mb={1}>
        <b>{side.device}</b> of {far}
        {side.falls > 0 && <Quiet>, came down from Full {plural(side.falls, 'time')}</Quiet>}
      </Box>
      {!first && <Quiet>has not heard of it</Quiet>}
      <Flex as="ol" listStyleType="none" gap={0} align="stretch" wrap="wrap">
        {side.rungs.map((r, i) => (
          <Flex
            as="li"
            key={i}
            align="center"
            title={`at ${exact(r.at)}${r.because ? `: ${r.because}` : ''}`}
          >
            {i > 0 && (
              <Box color="quiet" fontSize="11px" px={2} textAlign="center" lineHeight="1.1">
                {duration(r.took)}
                <Box borderTop="1px solid" borderColor="line" />
              </Box>
            )}
            <Box
              border="1px solid"
              borderColor={r.state === 'Full' ? 'leaf' : r.state === 'Down' ? 'brick' : 'line'}
              color={r.state === 'Full' ? 'leaf' : r.state === 'Down' ? 'brick' : 'ink'}
              bg="panel"
              borderRadius="sm"
              px={2}
              fontSize="12px"
              fontWeight="600"
            >
              {r.state}
              {r.because && (
                <Quiet display="block" fontSize="11px" fontWeight="400">
                  {r.because}
                </Quiet>
              )}
            </Box>
          </Flex>
        ))}
      </Flex>
    </Box>
  );
}
