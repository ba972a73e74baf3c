import { Box, Flex } from '@chakra-ui/react';
import type { Problem } from '../../shared/api/client';
import { Plain } from '../../shared/parts/parts';
import { Editor } from './Editor';
import { deviceRange, withRange } from '../../shared/draft/block';

interface Props {
  names: string[];
  text: string;
  problems: Problem[];
  change: (text: string) => void;
  apply: () => void;
  close: () => void;
  readOnly: boolean;
}

const nowhere = () => undefined;

/** Several devices' blocks beside each other, each to be edited in its place. */
export function SideBySide({ names, text, problems, change, apply, close, readOnly }: Props) {
  const lines = text.split('\n');
  const shown = names.flatMap((name) => {
    const range = deviceRange(lines, name);
    return range ? [{ name, range }] : [];
  });
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
        {shown.map(({ name, range }) => (
          <Box key={name} flex={1} minW={0} borderRight="1px solid" borderColor="line">
            <Editor
              text={lines.slice(range.from, range.to).join('\n')}
              label={`Block of ${name}`}
              problems={problems
                .filter((p) => p.line > range.from && p.line <= range.to)
                .map((p) => ({ ...p, line: p.line - range.from }))}
              change={(block) => {
                const now = withRange(lines, range, block);
                if (now !== text) change(now);
              }}
              apply={apply}
              goto={undefined}
              name={nowhere}
              wrap={false}
              readOnly={readOnly}
              whole={(block) => ({ text: withRange(lines, range, block), above: range.from })}
            />
          </Box>
        ))}
      </Flex>
    </Flex>
  );
}
