import { chakra } from '@chakra-ui/react';

/** What is left of the explanation while it is closed. */
export function Strip({ open }: { open: () => void }) {
  return (
    <chakra.button
      w="28px"
      flexShrink={0}
      bg="panel"
      borderLeft="1px solid"
      borderColor="line"
      color="quiet"
      fontSize="12px"
      _hover={{ bg: 'chosen' }}
      style={{ writingMode: 'vertical-rl', textAlign: 'start', padding: '14px 0' }}
      onClick={open}
      aria-label="Open the explanation"
      title="Open the explanation (e)"
    >
      Explanation
    </chakra.button>
  );
}
