import { Box } from '@chakra-ui/react';
import { few } from '../../shared/parts/words';
import { useWrong } from './Problems';

/** How much is wrong, on the button that lists it. */
export function HowManyWrong({ whole }: { whole: boolean }) {
  const { list } = useWrong(whole);
  if (list.length === 0) return null;
  return (
    <Box as="span" color="brick" fontWeight="650" ml={1}>
      {few(list.length)}
    </Box>
  );
}
