import { Box, Flex, chakra } from '@chakra-ui/react';
import type { Checked, Problem } from '../../shared/api/client';
import type { components } from '../../shared/api/schema';
import { Fixes } from '../../shared/draft/Fixes';
import { changeWords } from '../../shared/draft/changes';
import { Mono, Plain, Quiet } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';

interface Props {
  problems: Problem[];
  checking: boolean;
  /** What the draft would change, if it can be applied. */
  changes: Checked['changes'] | undefined;
  /** What the running network shows, while nothing is drafted. */
  running: components['schemas']['StateWarning'][] | undefined;
  goto: (line: number, column: number) => void;
  fix: (p: Problem) => void;
  readOnly: boolean;
}

/** What is wrong with the text, what would mend it, and what it would change. */
export function ProblemsPanel({ problems, checking, changes, running, goto, fix, readOnly }: Props) {
  const errors = problems.filter((p) => p.severity === 'error').length;
  return (
    <>
      <Box as="h2" fontSize="13px" mb={1}>
        {checking ? 'Checking' : errors > 0 ? plural(errors, 'error') : 'No errors'}
        {!checking && problems.length > errors && `, ${plural(problems.length - errors, 'warning')}`}
      </Box>
      {problems.slice(0, 200).map((p, i) => (
        <Box key={i} py="5px" borderBottom="1px solid" borderColor="line">
          <chakra.button display="block" textAlign="left" w="full" onClick={() => goto(p.line, p.column)}>
            <Box as="span" color={p.severity === 'error' ? 'brick' : 'ochre'} fontWeight="600">
              {p.severity}, line {p.line}
            </Box>
            <Box>{p.message}</Box>
            {p.hint && <Box color="quiet">{p.hint}</Box>}
          </chakra.button>
          {p.fix && !readOnly && (
            <Flex mt={1}>
              <Plain size="xs" h="22px" onClick={() => fix(p)}>
                Fix: {p.fix.title}
              </Plain>
            </Flex>
          )}
          {!readOnly && <Fixes fixes={p.edits?.map((e) => ({ edits: e.split('\n') }))} />}
        </Box>
      ))}
      {problems.length > 200 && <Quiet>and {problems.length - 200} more</Quiet>}
      {changes && (
        <>
          <Box as="h2" fontSize="13px" mt={4} mb={1}>
            {changes.length === 0
              ? 'Nothing would change'
              : `Applying changes ${plural(changes.length, 'thing')}`}
          </Box>
          {changes.slice(0, 300).map((c, i) => (
            <Box key={i} py="5px" borderBottom="1px solid" borderColor="line">
              <Mono fontWeight="600">{c.subject}</Mono> {c.what} <Mono>{changeWords(c)}</Mono>
              <Box color="quiet" fontSize="11.5px">
                {c.effect}
              </Box>
            </Box>
          ))}
        </>
      )}
      {running && running.length > 0 && (
        <>
          <Box as="h2" fontSize="13px" mt={4} mb={1}>
            Seen in the running network
          </Box>
          {running.slice(0, 100).map((w, i) => (
            <Box key={i} py="5px" borderBottom="1px solid" borderColor="line">
              <chakra.button
                display="block"
                textAlign="left"
                w="full"
                onClick={() => w.line && goto(w.line, 1)}
              >
                <Box as="span" color={w.weight === 'warning' ? 'ochre' : 'quiet'} fontWeight="600">
                  {w.weight}
                  {w.line ? `, line ${w.line}` : ''}
                </Box>
                <Box>{w.text}</Box>
                {w.prefixes.length > 0 && (
                  <Mono color="quiet" fontSize="11px">
                    {w.prefixes.slice(0, 6).join(', ')}
                    {w.count > 6 ? ` and ${w.count - 6} more` : ''}
                  </Mono>
                )}
                <Box color="quiet">{w.hint}</Box>
              </chakra.button>
              {!readOnly && <Fixes fixes={w.fixes} />}
            </Box>
          ))}
        </>
      )}
    </>
  );
}
