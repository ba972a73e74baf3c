import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { markdown, type Answered } from '../shared/draft/answers';
import { Fixes } from '../shared/draft/Fixes';
import { useFocus } from '../shared/focus/focus';
import { save } from '../shared/parts/csv';
import { Mono, Plain, Quiet } from '../shared/parts/parts';

interface Props {
  title: string;
  list: Answered[];
  again: (line: string) => void;
  clear: () => void;
  close: () => void;
}

/** The answers to what was typed, the newest first. */
export function Answers({ title, list, again, clear, close }: Props) {
  return (
    <Box
      as="section"
      aria-label="Answers"
      borderTop="1px solid"
      borderColor="line"
      bg="panel"
      maxH="34vh"
      overflowY="auto"
      flexShrink={0}
      tabIndex={0}
      data-testid="answers"
    >
      <Flex px={4} pt={2} gap={2} align="center">
        <Box as="h2" fontSize="13px" flex={1}>
          Answers
        </Box>
        <Plain
          size="xs"
          h="22px"
          onClick={() => save(`${title}.md`, 'text/markdown', markdown(title, list))}
          title="the record of what was asked and answered"
        >
          Markdown
        </Plain>
        <Plain size="xs" h="22px" onClick={clear}>
          clear
        </Plain>
        <Plain size="xs" h="22px" onClick={close}>
          close
        </Plain>
      </Flex>
      {list.map((a, i) => (
        <One key={list.length - i} a={a} open={i === 0} again={again} />
      ))}
    </Box>
  );
}

function One({ a, open: initially, again }: { a: Answered; open: boolean; again: (line: string) => void }) {
  const { show } = useFocus();
  const [open, setOpen] = useState(initially);
  const { said } = a;
  return (
    <Box px={4} py={1} borderBottom="1px solid" borderColor="line">
      <Flex gap={2} align="baseline" wrap="wrap">
        <Quiet fontSize="11.5px">{a.moment}</Quiet>
        <Mono fontWeight="650">{said.line}</Mono>
        <chakra.button
          color="plum"
          textDecoration="underline"
          fontSize="11.5px"
          onClick={() => again(said.line)}
        >
          again
        </chakra.button>
        {!a.error && (
          <chakra.button
            color="plum"
            textDecoration="underline"
            fontSize="11.5px"
            onClick={() =>
              void show(said.view, {
                ...(said.who ? { who: said.who } : {}),
                ...(said.to ? { to: said.to } : {}),
              })
            }
          >
            see {said.view}
          </chakra.button>
        )}
        {said.rows.length > 0 && (
          <chakra.button
            color="plum"
            textDecoration="underline"
            fontSize="11.5px"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
          >
            {open ? 'less' : `${said.rows.length} lines`}
          </chakra.button>
        )}
      </Flex>
      <Box color={a.error ? 'brick' : said.good ? 'leaf' : 'brick'} fontWeight="600">
        {a.error ?? said.says}
      </Box>
      {open && said.rows.length > 0 && (
        <Mono as="pre" display="block" whiteSpace="pre-wrap" overflowWrap="anywhere">
          {said.rows.slice(0, 200).join('\n')}
        </Mono>
      )}
      {open && <Fixes fixes={said.fixes} />}
    </Box>
  );
}
