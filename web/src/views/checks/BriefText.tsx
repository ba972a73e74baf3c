import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { BriefTask } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { useLooks } from '../../shared/focus/looks';
import { Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { CheckCard } from './ChecksView';

/** What is left of a task that has several parts; its checks have details of their own. */
function Left({ task, looked }: { task: BriefTask; looked: (what: string) => boolean }) {
  const parts = [
    ...task.acts.map((a) => ({ what: a.verb, done: a.done })),
    ...task.looks.map((l) => ({ what: `look at ${l}`, done: looked(l) })),
  ];
  if (parts.length + task.checks.length < 2) return null;
  const left = parts.filter((p) => !p.done).map((p) => p.what);
  return left.length === 0 ? null : <Quiet fontSize="11.5px">left: {left.join(', ')} </Quiet>;
}

/** Background, tasks that tick themselves off, questions. */
export function BriefText() {
  const { id } = useFocus();
  const data = useQuery(ask.brief(id));
  const [open, setOpen] = useState(-1);
  const [answers, setAnswers] = useState<number[]>([]);
  const looked = useLooks(id);
  const b = data.data;
  const done = (t: BriefTask) => t.done && t.looks.every(looked);
  return (
    <Box>
      <Box as="h2" fontSize="14px" mb={2}>
        Brief
        {b && b.tasks.length > 0 && (
          <Quiet fontWeight="400">
            {' '}
            {b.tasks.filter(done).length} of {b.tasks.length} done
          </Quiet>
        )}
      </Box>
      {data.error && <Trouble error={data.error} retry={() => void data.refetch()} />}
      {data.isPending && <Waiting what="reading the brief" />}
      {b && b.text.length + b.tasks.length + b.questions.length === 0 && (
        <Quiet>The text of this lab has no brief: it can say what the lab is about, and set tasks.</Quiet>
      )}
      {b?.text.map((t, i) => (
        <Box as="p" key={i} mb={3}>
          {t}
        </Box>
      ))}
      {b && b.tasks.length > 0 && (
        <Box as="h3" fontSize="13px" mb={1}>
          Tasks
        </Box>
      )}
      <Box as="ol" listStyleType="none">
        {b?.tasks.map((t, i) => (
          <Box as="li" key={i} mb={2} data-testid="task">
            <Flex gap={2}>
              <Box color={done(t) ? 'leaf' : 'quiet'} fontWeight="650" w="36px" flexShrink={0}>
                {done(t) ? 'done' : 'to do'}
              </Box>
              <Box flex={1}>
                {t.text} {!done(t) && <Left task={t} looked={looked} />}
                {t.checks.length > 0 && (
                  <chakra.button
                    color="plum"
                    textDecoration="underline"
                    fontSize="11.5px"
                    aria-expanded={open === i}
                    onClick={() => setOpen(open === i ? -1 : i)}
                  >
                    {open === i ? 'Hide' : 'Details'}
                  </chakra.button>
                )}
              </Box>
            </Flex>
            {open === i && t.checks.map((c) => <CheckCard key={c.name} check={c} />)}
          </Box>
        ))}
      </Box>
      {b && b.questions.length > 0 && (
        <Box as="h3" fontSize="13px" mb={1} mt={4}>
          Questions
        </Box>
      )}
      {b?.questions.map((q, i) => (
        <Box key={i} mb={3}>
          <Box>{q.text}</Box>
          {q.answer &&
            (answers.includes(i) ? (
              <Box color="quiet">{q.answer}</Box>
            ) : (
              <chakra.button
                color="plum"
                textDecoration="underline"
                fontSize="11.5px"
                onClick={() => setAnswers([...answers, i])}
              >
                show the answer
              </chakra.button>
            ))}
        </Box>
      ))}
    </Box>
  );
}
