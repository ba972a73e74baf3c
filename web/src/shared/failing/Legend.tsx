import { Box, Flex } from '@chakra-ui/react';
import { looks, type Harm } from './words';

/** What the colours and lines of failures mean. */
export function Legend() {
  return (
    <Flex gap={3} flex="1 1 300px" minW={0} fontSize="12.5px" data-testid="failure-legend">
      {(Object.keys(looks) as Harm[]).map((h) => (
        <Box key={h} color={looks[h].color} whiteSpace="nowrap">
          <span aria-hidden>{looks[h].mark}</span> {looks[h].words}
        </Box>
      ))}
    </Flex>
  );
}
