import { Box, Flex, chakra } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useState } from 'react';
import { ApiError, http, unwrap, useAct, useWarnings, type LabState, type Problem } from '../api/client';
import { useFocus } from '../focus/focus';
import { save } from '../parts/csv';
import { Main, Mono, Plain, Quiet, Trouble } from '../parts/parts';
import { plural } from '../parts/words';
import { Editor } from './Editor';
import { keepDraft, readDraft } from './draft';
import { TheirText } from './TheirText';

const noProblems: Problem[] = [];

/** The lab's text: a draft until it is applied, with its problems and what it would change. */
export default function TextView({ lab, past }: { lab: LabState; past: boolean }) {
  const { id, show, focus } = useFocus();
  const running = useWarnings(id, focus.when);
  const [draft, setDraft] = useState(() => readDraft(id) ?? { text: lab.text, base: lab.textSeq });
  const [place, setPlace] = useState<{ line: number; column: number }>();
  const act = useAct(id);
  const dirty = draft.text !== lab.text;

  // A text that was applied elsewhere is shown at once if nothing was written here.
  if (!dirty && draft.base !== lab.textSeq) setDraft({ text: lab.text, base: lab.textSeq });
  const untouched = readDraft(id) === undefined;
  if (dirty && untouched && draft.base !== lab.textSeq && !act.isPending)
    setDraft({ text: lab.text, base: lab.textSeq });

  const settled = useDelayed(draft.text, 150);
  const checked = useQuery({
    queryKey: ['check', id, lab.textSeq, settled],
    queryFn: () =>
      unwrap(http.POST('/api/labs/{id}/check', { params: { path: { id } }, body: { text: settled } })),
    placeholderData: (p) => p,
  });
  // What was said of the text before is not said of this one.
  const checking = settled !== draft.text || checked.isPlaceholderData || checked.isPending;
  const problems = checked.data?.problems ?? noProblems;
  const errors = problems.filter((p) => p.severity === 'error').length;

  const change = useCallback(
    (text: string) => {
      setDraft((d) => {
        const next = { text, base: d.base };
        keepDraft(id, text === lab.text ? undefined : next);
        return next;
      });
    },
    [id, lab.text],
  );
  const apply = (base = draft.base) => {
    if (past || act.isPending) return;
    act.mutate(
      { action: 'apply', text: draft.text, base },
      {
        onSuccess: (a) => {
          keepDraft(id, undefined);
          setDraft((d) => ({ text: d.text, base: a.seq }));
        },
      },
    );
  };
  const discard = () => {
    keepDraft(id, undefined);
    act.reset();
    setDraft({ text: lab.text, base: lab.textSeq });
  };
  const format = async () => {
    const out = await unwrap(http.POST('/api/text/format', { body: { text: draft.text } }));
    change(out.text);
  };
  const moved = act.error instanceof ApiError && act.error.status === 409 ? act.error : undefined;

  return (
    <Flex h="full" minH={0}>
      <Flex direction="column" flex={1} minW={0}>
        <Flex px={4} py={2} gap={2} align="center" borderBottom="1px solid" borderColor="line" bg="paper">
          <Main onClick={() => apply()} disabled={!dirty || errors > 0 || past} loading={act.isPending}>
            Apply
          </Main>
          <Plain onClick={discard} disabled={!dirty}>
            Throw the draft away
          </Plain>
          <Plain onClick={() => void format()} disabled={errors > 0 || past}>
            Format
          </Plain>
          <Plain onClick={() => save(`${lab.title}.lab`, 'text/plain', draft.text)}>Save as file</Plain>
          <Quiet
            data-testid="draft-state"
            truncate
            title="A draft is kept in this tab; Ctrl+Enter applies it."
          >
            {past ? 'Go back to now to change it.' : dirty ? 'Draft' : 'As it runs'}
          </Quiet>
        </Flex>
        {act.error && !moved && (
          <Box px={4}>
            <Trouble error={act.error} />
          </Box>
        )}
        {moved && (
          <TheirText error={moved} mine={draft.text} applyAnyway={(seq) => apply(seq)} discard={discard} />
        )}
        <Box flex={1} minH={0}>
          <Editor
            text={draft.text}
            problems={problems}
            change={change}
            apply={() => apply()}
            goto={place}
            readOnly={past}
          />
        </Box>
      </Flex>
      <Box
        w="300px"
        flexShrink={0}
        borderLeft="1px solid"
        borderColor="line"
        overflow="auto"
        p={3}
        bg="paper"
        tabIndex={0}
        aria-label="Problems and changes"
      >
        <Box as="h2" fontSize="13px" mb={1}>
          {checking ? 'Checking' : errors > 0 ? plural(errors, 'error') : 'No errors'}
          {!checking && problems.length > errors && `, ${plural(problems.length - errors, 'warning')}`}
        </Box>
        {checked.error && <Trouble error={checked.error} />}
        {problems.slice(0, 200).map((p, i) => (
          <chakra.button
            key={i}
            display="block"
            textAlign="left"
            w="full"
            py="5px"
            borderBottom="1px solid"
            borderColor="line"
            onClick={() => setPlace({ line: p.line, column: p.column })}
          >
            <Box as="span" color={p.severity === 'error' ? 'brick' : 'ochre'} fontWeight="600">
              {p.severity}, line {p.line}
            </Box>
            <Box>{p.message}</Box>
            {p.hint && <Box color="quiet">{p.hint}</Box>}
          </chakra.button>
        ))}
        {problems.length > 200 && <Quiet>and {problems.length - 200} more</Quiet>}
        {dirty && !checking && checked.data?.ok && (
          <>
            <Box as="h2" fontSize="13px" mt={4} mb={1}>
              {checked.data.changes.length === 0
                ? 'Nothing would change'
                : `Applying changes ${plural(checked.data.changes.length, 'thing')}`}
            </Box>
            {checked.data.changes.slice(0, 300).map((c, i) => (
              <Box key={i} py="5px" borderBottom="1px solid" borderColor="line">
                <Mono fontWeight="600">{c.subject}</Mono> {c.what}{' '}
                {c.what ? (
                  <Mono>{c.from && c.to ? `${c.from} -> ${c.to}` : c.to || `no longer ${c.from}`}</Mono>
                ) : c.to ? (
                  'added'
                ) : (
                  'removed'
                )}
                <Box color="quiet" fontSize="11.5px">
                  {c.effect}
                </Box>
              </Box>
            ))}
          </>
        )}
        {!dirty && (running.data?.length ?? 0) > 0 && (
          <>
            <Box as="h2" fontSize="13px" mt={4} mb={1}>
              Seen in the running network
            </Box>
            {running.data?.slice(0, 100).map((w, i) => (
              <chakra.button
                key={i}
                display="block"
                textAlign="left"
                w="full"
                py="5px"
                borderBottom="1px solid"
                borderColor="line"
                onClick={() => w.line && setPlace({ line: w.line, column: 1 })}
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
            ))}
          </>
        )}
        {!dirty && (
          <Box mt={4} color="quiet">
            Write here what the network should be. Problems show as you type; nothing happens to the network
            until you apply.{' '}
            <chakra.button textDecoration="underline" onClick={() => void show('map')}>
              See the map
            </chakra.button>
          </Box>
        )}
      </Box>
    </Flex>
  );
}

/** A value, once it has stopped changing for a while. */
function useDelayed<T>(value: T, ms: number): T {
  const [late, setLate] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLate(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return late;
}
