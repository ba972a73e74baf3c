import { Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { useFocus } from '../../shared/focus/focus';
import { Choice } from '../../shared/parts/parts';
import { ComparisonView } from '../compare/ComparisonView';
import { Borders } from './Borders';

/** What is different in BGP's paths: row by row, or by neighbour AS. */
export function PathsComparison() {
  const { id, focus } = useFocus();
  const [matrix, setMatrix] = useState(false);
  return (
    <Flex direction="column" h="full" minH={0}>
      <Flex gap={2} px={4} pt={3}>
        <Choice on={!matrix} onClick={() => setMatrix(false)}>
          Differences
        </Choice>
        <Choice on={matrix} onClick={() => setMatrix(true)}>
          By neighbour AS
        </Choice>
      </Flex>
      {matrix ? (
        <Flex direction="column" p={4} minH={0} flex={1}>
          <Borders id={id} when={focus.when} since={focus.since} />
        </Flex>
      ) : (
        <ComparisonView view="paths" />
      )}
    </Flex>
  );
}
