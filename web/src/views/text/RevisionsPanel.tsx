import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { type Revision } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { changeWords } from '../../shared/draft/changes';
import { Mono, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { duration, orderWords } from '../../shared/parts/words';

interface Props {
  /** Shows two revisions side by side. */
  compare: (before: number, after: number) => void;
  /** Makes a revision's text the draft. */
  goBack: (seq: number) => void;
}

/** Every text that was applied: who, when, why, and what it changed. */
export function RevisionsPanel({ compare, goBack }: Props) {
  const { id } = useFocus();
  const data = useQuery(ask.revisions(id));
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the revisions" />;
  const list = [...data.data].reverse();
  const now = list[0]?.seq ?? 0;
  return (
    <Box as="ol" listStyleType="none" aria-label="Revisions">
      {list.map((r, i) => (
        <Box as="li" key={r.seq} py={2} borderBottom="1px solid" borderColor="line" data-testid="revision">
          <Flex gap={2} align="baseline">
            <Box fontWeight="650">{r.current ? 'in force' : `revision ${r.seq}`}</Box>
            <Quiet flex={1}>{madeWords(r)}</Quiet>
          </Flex>
          {r.message && <Box>{orderWords(r)}</Box>}
          {r.changes.slice(0, 4).map((c, k) => (
            <Mono key={k} display="block" color="quiet" fontSize="11.5px" overflowWrap="anywhere">
              {c.subject} {c.what} {changeWords(c)}
            </Mono>
          ))}
          {r.total > 4 && <Quiet fontSize="11.5px">and {r.total - 4} more changes</Quiet>}
          <Flex gap={1} mt={1} wrap="wrap">
            <Plain
              size="xs"
              h="22px"
              disabled={!list[i + 1]}
              onClick={() => compare(list[i + 1]?.seq ?? 0, r.seq)}
            >
              what it changed
            </Plain>
            <Plain size="xs" h="22px" disabled={r.current} onClick={() => compare(r.seq, now)}>
              since then
            </Plain>
            <Plain size="xs" h="22px" disabled={r.current} onClick={() => goBack(r.seq)}>
              go back to it
            </Plain>
          </Flex>
        </Box>
      ))}
    </Box>
  );
}

const madeWords = (r: Revision) =>
  [r.author, r.made > 0 ? new Date(r.made).toLocaleString() : '', `at ${duration(r.at)}`]
    .filter(Boolean)
    .join(', ');
