import { Box, Flex, chakra } from '@chakra-ui/react';
import type { LabState } from '../../shared/api/client';
import { useFocus } from '../../shared/focus/focus';
import { momentWords } from '../../shared/focus/moment';

/** Says that two moments are compared, and which; the comparison as a file. */
export function ComparisonBanner({ lab }: { lab: LabState }) {
  const { id, focus, set } = useFocus();
  const href = (format: string) =>
    `/api/labs/${id}/comparison/${format}?before=${encodeURIComponent(focus.since)}&after=${encodeURIComponent(focus.when)}`;
  return (
    <Flex bg="plumSoft" color="plum" px={4} py={1} gap={3} role="status">
      <Box flex={1}>
        Only what is different is shown: from <b>{momentWords(lab, focus.since)}</b> to{' '}
        <b>{momentWords(lab, focus.when)}</b>.
      </Box>
      {['md', 'csv', 'json'].map((f) => (
        <Box key={f} asChild textDecoration="underline">
          <a href={href(f)} download title={`the whole comparison as ${f}`}>
            {f === 'md' ? 'Markdown' : f.toUpperCase()}
          </a>
        </Box>
      ))}
      <chakra.button
        textDecoration="underline"
        onClick={() => void set({ since: focus.when, when: focus.since })}
      >
        Swap
      </chakra.button>
      <chakra.button textDecoration="underline" onClick={() => void set({ since: '' })}>
        Stop comparing
      </chakra.button>
    </Flex>
  );
}
