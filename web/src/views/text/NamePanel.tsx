import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { components } from '../../shared/api/schema';
import { focusOnce } from '../../shared/parts/focus';
import { Line, Main, Mono, Plain, Quiet, Trouble } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { rename } from '../../shared/draft/edits';

export type Named = components['schemas']['Named'];

interface Props {
  named: Named;
  text: string;
  change: (text: string) => void;
  goto: (line: number, column: number) => void;
  close: () => void;
  readOnly: boolean;
}

/** A name: all places where it is, and another name for it everywhere. */
export function NamePanel({ named, text, change, goto, close, readOnly }: Props) {
  const [to, setTo] = useState(named.name);
  const [error, setError] = useState<unknown>();
  const first = named.uses[0];
  const go = () => {
    if (!first) return;
    setError(undefined);
    rename(text, first.line, first.column, to).then((r) => {
      change(r.text);
      close();
    }, setError);
  };
  return (
    <Box bg="plumSoft" borderRadius="md" p={2} mb={3} data-testid="name">
      <Flex gap={2} align="center" mb={1}>
        <Box flex={1}>
          {named.kind} <b>{named.name}</b>
          {named.in && ` of ${named.in}`} <Quiet>is in {plural(named.uses.length, 'place')}</Quiet>
        </Box>
        <Plain size="xs" h="22px" onClick={close}>
          close
        </Plain>
      </Flex>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          go();
        }}
      >
        <Flex gap={2} mb={2}>
          <Line
            aria-label="New name"
            ref={focusOnce}
            value={to}
            onChange={(e) => setTo(e.target.value)}
            h="26px"
            fontFamily="mono"
            fontSize="12px"
          />
          <Main
            size="xs"
            h="26px"
            type="submit"
            title="wherever it is named"
            disabled={readOnly || to === named.name || to === ''}
          >
            Rename
          </Main>
        </Flex>
      </form>
      {error !== undefined && <Trouble error={error} />}
      {named.uses.map((u) => (
        <chakra.button
          key={`${u.line}.${u.column}`}
          display="block"
          textAlign="left"
          w="full"
          onClick={() => goto(u.line, u.column)}
        >
          <Quiet>
            {u.definition ? 'here' : 'used'}, line {u.line}
          </Quiet>{' '}
          <Mono>{u.text}</Mono>
        </chakra.button>
      ))}
    </Box>
  );
}
