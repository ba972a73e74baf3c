import { Box, Flex, chakra } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useMemo, useState } from 'react';
import { deviceRange, withRange } from '../../shared/draft/block';
import { useDrafting } from '../../shared/draft/drafting';
import { inForce } from '../../shared/draft/edits';
import { Choice, Mono, Quiet, Trouble } from '../../shared/parts/parts';
import { Editor } from '../text/Editor';

interface Props {
  name: string;
  goto: (line: number) => void;
}

const nowhere = () => undefined;

/** What the text says of one router or host, to be written in its place; or written out, with where it is said. */
export function DeskText({ name, goto }: Props) {
  const { draft, change, problems, look, past, effect } = useDrafting();
  const [out, setOut] = useState(false);
  const lines = useMemo(() => draft.text.split('\n'), [draft.text]);
  const range = deviceRange(lines, name);
  const from = range?.from ?? 0;
  const to = range?.to ?? 0;
  const here = useMemo(
    () => problems.filter((p) => p.line > from && p.line <= to).map((p) => ({ ...p, line: p.line - from })),
    [problems, from, to],
  );
  const whole = useCallback(
    (said: string) => ({ text: withRange(lines, { from, to }, said), above: from }),
    [lines, from, to],
  );
  return (
    <Flex direction="column" h="full" minH={0}>
      <Flex gap={1} px={3} py={1} align="center">
        <Choice on={!out} onClick={() => setOut(false)}>
          Text
        </Choice>
        <Choice on={out} onClick={() => setOut(true)}>
          Written out
        </Choice>
        <Box flex={1} />
        {range && (
          <chakra.button color="plum" fontSize="11.5px" onClick={() => goto(from + 1)}>
            line {from + 1}
          </chakra.button>
        )}
      </Flex>
      <Box flex={1} minH={0} overflow="auto">
        {!range ? (
          <Quiet display="block" p={3}>
            The draft has no {name} any more.
          </Quiet>
        ) : out ? (
          <WrittenOut name={name} text={draft.text} goto={goto} />
        ) : (
          <Editor
            key={name}
            text={lines.slice(from, to).join('\n')}
            label={`Block of ${name}`}
            problems={here}
            change={(said) => {
              const now = withRange(lines, { from, to }, said);
              if (now !== draft.text) change(now);
            }}
            apply={(now) => (now ? effect.apply() : look())}
            goto={undefined}
            name={nowhere}
            wrap={false}
            readOnly={past}
            whole={whole}
          />
        )}
      </Box>
    </Flex>
  );
}

/** All that counts at a place, with what templates and defaults say. */
function WrittenOut({ name, text, goto }: { name: string; text: string; goto: (line: number) => void }) {
  const holds = useQuery({
    queryKey: ['in-force', name, text],
    queryFn: () => inForce(text, name),
    placeholderData: (p) => p,
  });
  if (holds.error) return <Trouble error={holds.error} />;
  return (
    <Box as="ol" listStyleType="none" px={3} fontSize="12px" data-testid="written-out">
      {holds.data?.map((h, i) => (
        <Flex as="li" key={i} gap={2} pl={`${h.depth * 14}px`} bg={h.from ? 'plumSoft' : undefined}>
          <Mono flex={1} whiteSpace="pre-wrap">
            {h.text}
          </Mono>
          {h.from && (
            <chakra.button color="plum" fontSize="11px" whiteSpace="nowrap" onClick={() => goto(h.line)}>
              {h.from}
            </chakra.button>
          )}
        </Flex>
      ))}
    </Box>
  );
}
