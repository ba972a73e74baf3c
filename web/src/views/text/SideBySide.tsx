import { Box, Flex } from '@chakra-ui/react';
import type { Block, Problem } from '../../shared/api/client';
import { Plain } from '../../shared/parts/parts';
import { Editor } from './Editor';
import { blockText, withBlock } from '../../shared/draft/edits';

interface Props {
  names: string[];
  blocks: Block[];
  text: string;
  problems: Problem[];
  change: (text: string) => void;
  apply: () => void;
  close: () => void;
  readOnly: boolean;
}

const nowhere = () => undefined;

/** Several devices' blocks beside each other, each to be edited in its place. */
export function SideBySide({ names, blocks, text, problems, change, apply, close, readOnly }: Props) {
  const shown = names.flatMap(
    (n) => blocks.find((b) => b.name === n && (b.kind === 'router' || b.kind === 'host')) ?? [],
  );
  return (
    <Flex direction="column" h="full" minH={0}>
      <Flex px={4} py={1} align="center" gap={3} bg="plumSoft">
        <Box flex={1} color="plum">
          {shown.map((b) => b.name).join(', ')} side by side; what you write goes into the draft.
        </Box>
        <Plain size="xs" h="24px" onClick={close}>
          Whole text
        </Plain>
      </Flex>
      <Flex flex={1} minH={0}>
        {shown.map((b) => (
          <Box key={b.name} flex={1} minW={0} borderRight="1px solid" borderColor="line">
            <Editor
              text={blockText(text, b)}
              label={`Block of ${b.name}`}
              problems={problems
                .filter((p) => p.line >= b.from && p.line <= b.to)
                .map((p) => ({ ...p, line: p.line - b.from + 1 }))}
              change={(block) => {
                if (block !== blockText(text, b)) change(withBlock(text, b, block));
              }}
              apply={apply}
              goto={undefined}
              name={nowhere}
              wrap={false}
              readOnly={readOnly}
            />
          </Box>
        ))}
      </Flex>
    </Flex>
  );
}
