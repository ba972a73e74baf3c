import { Box, Flex } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { components } from '../../shared/api/schema';
import { alike, pull } from '../../shared/draft/edits';
import { Line, Main, Quiet, Trouble } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';

type Common = components['schemas']['Common'];

interface Props {
  text: string;
  write: (text: string) => void;
  readOnly: boolean;
}

/** What several places say alike: to be said once, in a template that they take. */
export function SayOnce({ text, write, readOnly }: Props) {
  const found = useQuery({
    queryKey: ['alike', text],
    queryFn: () => alike(text),
    placeholderData: (p) => p,
  });
  const list = found.data ?? [];
  if (list.length === 0) return null;
  return (
    <Box as="section" aria-label="Say it once" mb={3}>
      <Box as="h2" fontSize="13px" fontWeight="600" mb={1}>
        Say it once
      </Box>
      {list.slice(0, 3).map((c) => (
        <Pulled key={`${c.in}\n${c.statements}`} common={c} text={text} write={write} readOnly={readOnly} />
      ))}
    </Box>
  );
}

function Pulled({ common, text, write, readOnly }: Props & { common: Common }) {
  const [name, setName] = useState(common.name);
  const [error, setError] = useState<unknown>();
  const go = () => {
    setError(undefined);
    pull(text, common, name).then(write, setError);
  };
  return (
    <Box border="1px solid" borderColor="line" borderRadius="md" p={2} mb={2} data-testid="alike">
      <Box title={common.takers.join(', ')}>
        {plural(common.takers.length, common.in)} say the same:{' '}
        <Quiet>{common.takers.slice(0, 3).join(', ')}</Quiet>
        {common.takers.length > 3 && <Quiet> and {common.takers.length - 3} more</Quiet>}
      </Box>
      <Box
        as="pre"
        fontFamily="mono"
        fontSize="12px"
        my={1}
        whiteSpace="pre-wrap"
        maxH="120px"
        overflowY="auto"
      >
        {common.statements}
      </Box>
      <Flex gap={2}>
        <Line
          aria-label="Name of the template"
          value={name}
          h="26px"
          fontFamily="mono"
          fontSize="12px"
          onChange={(e) => setName(e.target.value)}
        />
        <Main size="xs" h="26px" disabled={readOnly} onClick={go} title={`${common.lines} lines shorter`}>
          Pull into a template
        </Main>
      </Flex>
      {error !== undefined && <Trouble error={error} />}
    </Box>
  );
}
