import { Box, Flex } from '@chakra-ui/react';
import type { ApiError } from '../../shared/api/client';
import { Plain } from '../../shared/parts/parts';
import { Lines } from './TwoTexts';

interface Props {
  error: ApiError;
  mine: string;
  applyAnyway: (seq: number) => void;
  discard: () => void;
}

/** Somebody applied another text meanwhile: both, side by side, and the ways out. Nothing is lost. */
export function TheirText({ error, mine, applyAnyway, discard }: Props) {
  const theirs = error.details.find((d) => d.location === 'text');
  return (
    <Box px={4} py={2} bg="ochreSoft" role="alert">
      <Box color="ochre" fontWeight="600">
        {error.message}
      </Box>
      <Flex fontSize="12px" color="quiet" mt={1}>
        <Box flex={1}>in force now</Box>
        <Box flex={1}>your draft</Box>
      </Flex>
      <Flex h="240px">
        <Lines before={theirs?.message ?? ''} after={mine} />
      </Flex>
      <Flex gap={2} mt={2}>
        <Plain onClick={() => applyAnyway(Number(theirs?.value ?? 0))}>Apply mine over it</Plain>
        <Plain onClick={discard}>Take theirs</Plain>
      </Flex>
    </Box>
  );
}
