import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { MergeView } from '@codemirror/merge';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { useEffect, useRef } from 'react';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { changeWords } from '../../shared/draft/changes';
import { Empty, Mono, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';

const look = EditorView.theme({
  '&': { fontSize: '12px' },
  '.cm-scroller': { fontFamily: 'var(--chakra-fonts-mono)', fontVariantLigatures: 'none' },
  '.cm-collapsedLines': {
    background: 'var(--chakra-colors-chosen)',
    color: 'var(--chakra-colors-quiet)',
    fontFamily: 'var(--chakra-fonts-body)',
  },
  '.cm-collapsedLines:before, .cm-collapsedLines:after': { content: '"..."' },
});

/** Two revisions by meaning and by line. */
export function TwoTexts({
  before,
  after,
  close,
  only,
}: {
  before: number;
  after: number;
  close?: () => void;
  /** Of which subjects to speak; all if it is left out. */
  only?: RegExp;
}) {
  const { id } = useFocus();
  const pair = useQuery(ask.revisionPair(id, before, after));
  if (before === after)
    return <Empty title="The same text">No other text was applied between the two moments.</Empty>;
  if (pair.error) return <Trouble error={pair.error} />;
  if (!pair.data) return <Waiting what="comparing the texts" />;
  const changes = pair.data.changes.filter((c) => !only || only.test(`${c.subject} ${c.what ?? ''}`));
  return (
    <Flex direction="column" h="full" p={4} gap={2} minH={0}>
      <Flex align="center" gap={3}>
        <Box as="h2" fontSize="14px" flex={1}>
          From revision {before} to revision {after}
        </Box>
        {close && <Plain onClick={close}>Back to the draft</Plain>}
      </Flex>
      <Box
        maxH="30%"
        overflow="auto"
        data-testid="by-meaning"
        tabIndex={0}
        role="region"
        aria-label="By meaning"
      >
        {changes.length === 0 && <Quiet>They mean the same.</Quiet>}
        {changes.map((c, i) => (
          <Box key={i}>
            <Mono fontWeight="600">{c.subject}</Mono> {c.what} <Mono>{changeWords(c)}</Mono>{' '}
            <Quiet fontSize="11.5px">{c.effect}</Quiet>
          </Box>
        ))}
      </Box>
      {only && pair.data.changes.length > changes.length && (
        <Quiet data-testid="unchanged">
          {pair.data.changes.length - changes.length} more changes of the text are in Text
        </Quiet>
      )}
      {!only && <Lines before={pair.data.before} after={pair.data.after} />}
    </Flex>
  );
}

/** Two texts side by side, line by line. */
export function Lines({ before, after }: { before: string; after: string }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!host.current) return;
    const extensions = [EditorState.readOnly.of(true), look];
    const v = new MergeView({
      parent: host.current,
      a: { doc: before, extensions },
      b: { doc: after, extensions },
      collapseUnchanged: { margin: 2, minSize: 4 },
    });
    return () => v.destroy();
  }, [before, after]);
  return (
    <Box
      ref={host}
      flex={1}
      minH="120px"
      overflow="auto"
      bg="panel"
      border="1px solid"
      borderColor="line"
      tabIndex={0}
      role="region"
      aria-label="The two texts"
    />
  );
}
