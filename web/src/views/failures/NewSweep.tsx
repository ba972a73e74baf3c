import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { SweepRow } from '../../shared/api/client';
import { useSweepOrder } from '../../shared/api/orders';
import { useDrafting } from '../../shared/draft/drafting';
import { useFocus } from '../../shared/focus/focus';
import { Choice, Line, Main, Plain, Quiet } from '../../shared/parts/parts';
import { kinds } from '../../shared/failing/words';

interface Props {
  begun: (s: SweepRow) => void;
  /** There is no sweep yet. */
  first: boolean;
  past: boolean;
}

/** What is to be swept, and the button that does it. */
export function NewSweep({ begun, first, past }: Props) {
  const { id } = useFocus();
  const d = useDrafting();
  const { begin } = useSweepOrder(id);
  const [open, setOpen] = useState(false);
  const [of, setOf] = useState<string[]>([]);
  const [pairs, setPairs] = useState(false);
  const [most, setMost] = useState('');
  const [own, setOwn] = useState('');
  const [plain, setPlain] = useState(false); // without the draft
  const drafted = d.dirty && !plain;
  const lines = own
    .split(/[\n;]/)
    .map((l) => l.trim())
    .filter((l) => l !== '');
  const sweep = () =>
    begin.mutate(
      {
        ...(drafted && { text: d.draft.text }),
        ...(lines.length > 0 ? { own: lines } : of.length > 0 ? { kinds: of } : {}),
        depth: pairs ? 2 : 1,
        ...(pairs && Number(most) > 0 && { budget: Math.floor(Number(most)) }),
      },
      { onSuccess: begun },
    );
  const bad = drafted && d.errors > 0;
  const toggle = (k: string) => setOf(of.includes(k) ? of.filter((x) => x !== k) : [...of, k]);
  return (
    <Box>
      <Flex gap={3} align="center" wrap="wrap">
        <Main onClick={sweep} disabled={begin.isPending || bad || past}>
          {first ? 'Try all failures' : 'Sweep again'}
        </Main>
        <Quiet flex={1} minW="240px">
          {past
            ? 'Go back to now to sweep.'
            : `${lines.length > 0 ? 'a list of your own' : of.length > 0 ? of.join(', ') : 'links, routers, ports, segments, sessions, risk groups'}; ${
                pairs ? 'in pairs: each after each other one has come to rest' : 'one at a time'
              }${drafted ? '; with the draft applied to a copy' : ''}`}
        </Quiet>
        {d.dirty && (
          <Choice on={drafted} onClick={() => setPlain(!plain)}>
            with the draft
          </Choice>
        )}
        <Plain onClick={() => setOpen(!open)} aria-expanded={open}>
          What to try
        </Plain>
      </Flex>
      {bad && <Box color="brick">The draft has errors: mend them, or sweep without it.</Box>}
      {begin.error && (
        <Box color="brick" role="alert">
          {begin.error.message}
        </Box>
      )}
      {open && (
        <Box mt={2} p={3} bg="panel" border="1px solid" borderColor="line" borderRadius="md">
          <Flex gap={2} wrap="wrap" align="center" mb={2} role="group" aria-label="Kinds of failures">
            <Choice on={of.length === 0} onClick={() => setOf([])}>
              all but the last two
            </Choice>
            {kinds.map(([k, words]) => (
              <Choice key={k} on={of.includes(k)} onClick={() => toggle(k)}>
                {words}
              </Choice>
            ))}
          </Flex>
          <Flex gap={2} align="center" mb={2}>
            <Choice on={!pairs} onClick={() => setPairs(false)}>
              one at a time
            </Choice>
            <Choice on={pairs} onClick={() => setPairs(true)}>
              in pairs
            </Choice>
            {pairs && (
              <chakra.label display="flex" gap={2} alignItems="center">
                <Quiet>at most</Quiet>
                <Line
                  flex="0 0 80px"
                  type="number"
                  min={1}
                  value={most}
                  placeholder="all"
                  aria-label="at most so many pairs"
                  onChange={(e) => setMost(e.target.value)}
                />
                <Quiet>pairs, the most suspicious first</Quiet>
              </chakra.label>
            )}
          </Flex>
          <chakra.label display="flex" gap={2} alignItems="center">
            <Quiet>or these alone</Quiet>
            <Line
              aria-label="or these alone"
              value={own}
              placeholder="cut viaduct.e1 and disable quarry; silence summit.e2"
              onChange={(e) => setOwn(e.target.value)}
            />
          </chakra.label>
        </Box>
      )}
    </Box>
  );
}
