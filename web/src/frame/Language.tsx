import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Statement } from '../shared/api/client';
import { useNewLab } from '../shared/api/orders';
import { ask } from '../shared/api/questions';
import { Choice, Line, Mono, Plain, Quiet, Trouble, Waiting } from '../shared/parts/parts';
import { plural } from '../shared/parts/words';

/** How many statements are shown at once: more are found by searching. */
const most = 60;

/** The statements of the lab language: those of the place where the cursor is, or all that a word finds. */
export function Language({ places }: { places: string[] }) {
  const data = useQuery(ask.language());
  const navigate = useNavigate();
  const [wanted, setWanted] = useState('');
  const [here, setHere] = useState(places.length > 0);
  const open = useNewLab((l) => void navigate(`/lab/${l.id}/text`));
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the language" />;
  const found = find(data.data.statements, wanted, here && wanted === '' ? places : []);
  return (
    <Box>
      <Flex gap={2} mb={3} align="center" wrap="wrap">
        <Line
          type="search"
          aria-label="Find a statement"
          placeholder="a word, such as cost or next hop"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          w="240px"
          flex="none"
        />
        {places.length > 0 && (
          <Choice on={here && wanted === ''} onClick={() => setHere(!here)}>
            Where the cursor is: {places.join(', ')}
          </Choice>
        )}
        <Box flex={1} />
        <Quiet>{plural(found.length, 'statement')}</Quiet>
        <Plain
          size="xs"
          h="26px"
          onClick={() => open.mutate(data.data.examples)}
          loading={open.isPending}
          title="a new lab that has every statement; it settles and its checks pass"
        >
          Open the lab of all examples
        </Plain>
      </Flex>
      {open.error && <Trouble error={open.error} />}
      {found.slice(0, most).map((s) => (
        <Box
          key={`${s.in} ${s.usage}`}
          borderTop="1px solid"
          borderColor="line"
          py={2}
          data-testid="statement"
        >
          <Flex gap={3} align="baseline" wrap="wrap">
            <Mono fontWeight="650" color="plum">
              {s.usage}
            </Mono>
            <Quiet fontSize="12px">in {s.in}</Quiet>
          </Flex>
          <Flex gap={4} mt={1} align="flex-start">
            <Box flex={1} minW={0}>
              <Box>{s.help}</Box>
              <Box color="quiet" fontSize="12px">
                {[
                  s.default && `default ${s.default}`,
                  s.range,
                  `a change: ${s.change}`,
                  s.rfc && `RFC ${s.rfc}`,
                ]
                  .filter(Boolean)
                  .join(' · ')}
              </Box>
            </Box>
            <Box
              as="pre"
              fontFamily="mono"
              fontSize="11.5px"
              bg="paper"
              border="1px solid"
              borderColor="line"
              borderRadius="sm"
              px={2}
              py={1}
              w="46%"
              overflowX="auto"
              tabIndex={0}
              aria-label={`Example of ${s.word}`}
            >
              {s.example}
            </Box>
          </Flex>
        </Box>
      ))}
      {found.length === 0 && <Quiet>No statement has that.</Quiet>}
      {found.length > most && (
        <Quiet display="block" mt={2}>
          and {found.length - most} more: a word finds them
        </Quiet>
      )}
    </Box>
  );
}

/** The statements of some blocks, in the order of these; or those that have every word that is looked for, the word itself first. */
export function find(all: Statement[], wanted: string, places: string[]): Statement[] {
  const words = wanted.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const said = (s: Statement) => `${s.usage} ${s.in} ${s.help} ${s.rfc ?? ''}`.toLowerCase();
  const found = all.filter(
    (s) => words.every((w) => said(s).includes(w)) && (places.length === 0 || places.includes(s.in)),
  );
  const rank = (s: Statement) =>
    words.length > 0 && s.word === words[0]
      ? 0
      : words.length > 0 && s.word.startsWith(words[0] ?? '')
        ? 1
        : 2;
  return found
    .map((s, i) => ({ s, i }))
    .sort((a, b) => rank(a.s) - rank(b.s) || places.indexOf(a.s.in) - places.indexOf(b.s.in) || a.i - b.i)
    .map(({ s }) => s);
}
