import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { type CheckResult, type Fact } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { useFocus, type View } from '../../shared/focus/focus';
import { Choice, Count, Empty, Mono, Plain, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';

/** Expectations and how they came out, with the evidence. */
export function ChecksView({ goto }: { goto: (line: number) => void }) {
  const { id, focus } = useFocus();
  const data = useQuery(ask.checks(id, focus.when));
  const before = useQuery(ask.checks(id, focus.since || focus.when));
  const [only, setOnly] = useState(false);
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data)
    return <Working what="evaluating the checks" query={data} of={ask.checks(id, focus.when).queryKey} />;
  if (data.data.length === 0)
    return (
      <Empty title="The text has no checks">
        Write what you expect of the network at the end of the text, and it is looked at in every preview:
        <Mono display="block" mt={2} whiteSpace="pre">
          {
            'check "tickets survive any link"\n  whenever link fails except kiosk\n  expect flow tickets outage < 1s'
          }
        </Mono>
      </Empty>
    );
  const failed = data.data.filter((c) => !c.passed);
  if (focus.since !== '')
    return before.data ? (
      <Changed before={before.data} after={data.data} goto={goto} />
    ) : (
      <Working what="evaluating the checks" query={before} of={ask.checks(id, focus.since).queryKey} />
    );
  return (
    <Box p={4}>
      <Flex gap={6} mb={3} align="center">
        <Count
          n={data.data.length - failed.length}
          what={data.data.length - failed.length === 1 ? 'passes' : 'pass'}
          tone="leaf"
        />
        <Count
          n={failed.length}
          what={failed.length === 1 ? 'fails' : 'fail'}
          tone={failed.length > 0 ? 'brick' : 'ink'}
        />
        <Box flex={1} />
        <Choice on={!only} onClick={() => setOnly(false)}>
          all
        </Choice>
        <Choice on={only} onClick={() => setOnly(true)}>
          failed
        </Choice>
      </Flex>
      {(only ? failed : [...failed, ...data.data.filter((c) => c.passed)]).map((c) => (
        <CheckCard key={c.name} check={c} goto={goto} />
      ))}
    </Box>
  );
}

/** Checks that come out otherwise than before; one line for the rest. */
function Changed({
  before,
  after,
  goto,
}: {
  before: CheckResult[];
  after: CheckResult[];
  goto: (line: number) => void;
}) {
  const was = new Map(before.map((c) => [c.name, c.passed]));
  const other = after.filter((c) => was.get(c.name) !== c.passed);
  const gone = before.filter((c) => !after.some((x) => x.name === c.name));
  return (
    <Box p={4}>
      {other.length + gone.length === 0 && (
        <Empty title="Nothing is different here">Every check comes out as it did before.</Empty>
      )}
      {other.map((c) => (
        <Box key={c.name}>
          <Quiet>{!was.has(c.name) ? 'came' : was.get(c.name) ? 'it held before' : 'it failed before'}</Quiet>
          <CheckCard check={c} goto={goto} />
        </Box>
      ))}
      {gone.map((c) => (
        <Box key={c.name}>
          <Quiet>gone:</Quiet> {c.name}
        </Box>
      ))}
      <Quiet data-testid="unchanged">
        {after.length - other.length} of {plural(after.length, 'check')} as before
      </Quiet>
    </Box>
  );
}

interface CardProps {
  check: CheckResult;
  goto?: (line: number) => void;
  /** Leaves out what passes. */
  failedOnly?: boolean;
  /** It was found out on a copy that no view shows. */
  onCopy?: boolean;
}

/** A check: what it does first, what it expects, what was found. */
export function CheckCard({ check: c, goto, failedOnly = false, onCopy = false }: CardProps) {
  const { show } = useFocus();
  return (
    <Box
      bg="panel"
      border="1px solid"
      borderColor="line"
      borderLeft="3px solid"
      borderLeftColor={c.passed ? 'leaf' : 'brick'}
      borderRadius="md"
      px={4}
      py={3}
      mb={2}
      data-testid="check"
    >
      <Flex align="baseline" gap={3}>
        <Box color={c.passed ? 'leaf' : 'brick'} fontWeight="650" w="50px" flexShrink={0}>
          {c.passed ? 'passes' : 'fails'}
        </Box>
        <Box fontWeight="600" flex={1}>
          {c.name}
        </Box>
        {c.line !== undefined && goto && (
          <Plain size="xs" h="22px" onClick={() => goto(c.line ?? 1)}>
            line {c.line}
          </Plain>
        )}
      </Flex>
      {c.when.length > 0 && (
        <Quiet display="block">
          on a copy, after <Mono>{c.when.join(', ')}</Mono>
        </Quiet>
      )}
      {c.error && <Box color="brick">it could not be tried: {c.error}</Box>}
      {c.outcomes
        .filter((o) => !failedOnly || !o.passed)
        .map((o, i) => (
          <Box key={i} mt={2} pl={3} borderLeft="2px solid" borderColor={o.passed ? 'line' : 'brick'}>
            <Mono>{o.expects}</Mono>
            <Box color={o.passed ? undefined : 'brick'}>{o.says}</Box>
            {o.facts.slice(0, 5).map((f, k) => (
              <Evidence
                key={k}
                fact={f}
                shown={o.says}
                linked={!onCopy && c.when.length === 0}
                show={(v, f) => void show(v, f)}
              />
            ))}
          </Box>
        ))}
    </Box>
  );
}

function Evidence({
  fact: f,
  shown,
  linked,
  show,
}: {
  fact: Fact;
  shown: string;
  linked: boolean;
  show: (v: View, focus: { who?: string; to?: string }) => void;
}) {
  if (!f.view) return null;
  return (
    <Box fontSize="12px">
      {f.text !== shown && !shown.includes(f.text) && <Quiet>{f.text} </Quiet>}
      {linked && (
        <Box asChild color="plum" textDecoration="underline" fontSize="11.5px">
          <button
            onClick={() =>
              show(f.view as View, { ...(f.who ? { who: f.who } : {}), ...(f.to ? { to: f.to } : {}) })
            }
          >
            see {f.view}
          </button>
        </Box>
      )}
      {linked && <Fixes fixes={f.fixes} />}
    </Box>
  );
}
