import { Box, Flex } from '@chakra-ui/react';
import { MergeView } from '@codemirror/merge';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { useEffect, useRef } from 'react';
import type { ApiError } from '../api/client';
import { Plain } from '../parts/parts';

interface Props {
  error: ApiError;
  mine: string;
  applyAnyway: (seq: number) => void;
  discard: () => void;
}

/** Somebody applied another text meanwhile: both, side by side, and the ways out. Nothing is lost. */
export function TheirText({ error, mine, applyAnyway, discard }: Props) {
  const theirs = error.details.find((d) => d.location === 'text');
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!host.current) return;
    const extensions = [EditorState.readOnly.of(true), EditorView.theme({ '&': { fontSize: '12px' } })];
    const v = new MergeView({
      parent: host.current,
      a: { doc: theirs?.message ?? '', extensions },
      b: { doc: mine, extensions },
      collapseUnchanged: { margin: 2, minSize: 4 },
    });
    return () => v.destroy();
  }, [theirs?.message, mine]);
  return (
    <Box px={4} py={2} bg="ochreSoft" role="alert">
      <Box color="ochre" fontWeight="600">
        {error.message}
      </Box>
      <Flex fontSize="12px" color="quiet" mt={1}>
        <Box flex={1}>in force now</Box>
        <Box flex={1}>your draft</Box>
      </Flex>
      <Box
        ref={host}
        maxH="240px"
        overflow="auto"
        bg="panel"
        border="1px solid"
        borderColor="line"
        tabIndex={0}
        aria-label="The two texts"
      />
      <Flex gap={2} mt={2}>
        <Plain onClick={() => applyAnyway(Number(theirs?.value ?? 0))}>Apply mine over it</Plain>
        <Plain onClick={discard}>Take theirs</Plain>
      </Flex>
    </Box>
  );
}
