import { Box, Flex, chakra } from '@chakra-ui/react';
import { stopWork } from '../shared/api/orders';
import { Quiet } from '../shared/parts/parts';
import type { Running } from './news';

/** What the lab is busy with, how far it is, and the way to stop that. */
export function Busy({ id, running }: { id: string; running: Running | undefined }) {
  return (
    <Flex bg="plumSoft" color="plum" px={4} py={1} gap={3} align="center" role="status">
      <Box flex={1}>
        {running?.what ?? 'the action'} is running.
        {running && running.events > 0 && (
          <Quiet ml={3}>
            at {running.at.toFixed(1)} s, {running.events.toLocaleString('en')} events
          </Quiet>
        )}
      </Box>
      {running?.work && (
        <chakra.button textDecoration="underline" onClick={() => void stopWork(id, running.work)}>
          Stop it
        </chakra.button>
      )}
    </Flex>
  );
}
