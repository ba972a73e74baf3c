import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useDeferredValue, useState } from 'react';
import { type LabState, type MapSession, type Tried } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus, refOf } from '../../shared/focus/focus';
import { textAt } from '../../shared/focus/moment';
import { Choice, Count, Empty, Mono, Pick, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Scroll } from '../../shared/parts/table';
import { Steps } from '../paths/Trace';
import { pathWords } from '../paths/words';
import { Fixes } from '../../shared/draft/Fixes';
import { useDrafting } from '../../shared/draft/drafting';
import { findPolicy, replacePolicy } from './block';

const typed = 'typed';

const example = `203.0.113.0/24
10.64.8.0/22 path 64510
198.51.100.0/25 path 64496 64498 community 64500:1`;

/** The bench: routes run through a policy, statement by statement, and through a draft of it. */
export function PoliciesView({ lab }: { lab: LabState }) {
  const { id, focus, show } = useFocus();
  const policies = useQuery(ask.policies(id, focus.when));
  const map = useQuery(ask.map(id, focus.when));
  const drafting = useDrafting();
  const warnings = useQuery(ask.warnings(id, focus.when));
  const [chosen, setChosen] = useState('');
  const [source, setSource] = useState('');
  const [routes, setRoutes] = useState(example);
  const [draft, setDraft] = useState<string>();
  const [only, setOnly] = useState(false);
  const [open, setOpen] = useState('');

  const list = policies.data ?? [];
  const policy = list.find((p) => nameOf(p) === chosen) ?? list[0];
  const owners = list.flatMap((p) => (p.name === policy?.name && p.device ? [p.device] : []));
  const used = policy?.uses.filter((u) => ['in', 'out', 'take'].includes(u.role)) ?? [];
  const uses = [
    ...used,
    ...(map.data?.sessions ?? [])
      .flatMap(tables)
      .filter((t) => !used.some((u) => keyOf(u) === keyOf(t)))
      .sort((x, y) => x.words.localeCompare(y.words, 'en', { numeric: true })),
  ];
  const at = source === typed ? undefined : (uses.find((u) => keyOf(u) === source) ?? used[0]);
  const seq = textAt(lab, focus.when);
  const past = useQuery(ask.revisionPair(id, seq === lab.textSeq ? 0 : seq, lab.textSeq));
  const text = seq === lab.textSeq || seq === 0 ? lab.text : (past.data?.before ?? '');
  const block = policy && findPolicy(text, policy.name, policy.device);
  const late = useDeferredValue(draft);
  const changed = block !== undefined && late !== undefined && late !== block.text;
  const bench = useQuery(
    ask.bench(
      id,
      focus.when,
      {
        policy: policy?.name ?? '',
        ...(policy?.device ? { owner: policy.device } : {}),
        ...(changed ? { draft: replacePolicy(text, block, late) } : {}),
        ...(at?.peer
          ? {
              device: at.device,
              peer: at.peer,
              direction: at.role === 'out' || at.role === 'take' ? at.role : ('in' as const),
            }
          : { routes: routes.split('\n') }),
      },
      policy !== undefined,
    ),
  );
  if (policies.error) return <Trouble error={policies.error} retry={() => void policies.refetch()} />;
  if (!policies.data) return <Waiting what="reading the policies" />;
  if (!policy) {
    return (
      <Empty title="This lab has no policies">
        Press t and write one: policy NAME, below it statements with where, set, accept and reject. A peer
        names it with import-policy or export-policy.
      </Empty>
    );
  }
  // What a policy would mend.
  const warned = (warnings.data ?? []).filter((w) => w.code === 'transit');
  const rows = (bench.data?.rows ?? []).filter((r) => !only || r.differs);
  const choose = (name: string) => {
    setChosen(name);
    setSource('');
    setDraft(undefined);
    setOpen('');
  };
  const intoDraft = () => {
    if (!block || draft === undefined) return;
    const there = findPolicy(drafting.draft.text, policy.name, policy.device);
    if (there) drafting.write(replacePolicy(drafting.draft.text, there, draft));
    void show('text');
  };
  return (
    <Flex h="full" minH={0}>
      <Flex
        direction="column"
        w="340px"
        flexShrink={0}
        borderRight="1px solid"
        borderColor="line"
        p={4}
        gap={3}
        overflow="auto"
      >
        <Pick
          label="Policy"
          value={nameOf(policy)}
          onChange={choose}
          options={list.map((p) => [nameOf(p), nameOf(p)] as const)}
        />
        {warned.map((w) => (
          <Box key={w.text} bg="ochreSoft" px={2} py={1} borderRadius="md" fontSize="12px">
            {w.text}. <Quiet>{w.hint}</Quiet>
            <Fixes fixes={w.fixes} />
          </Box>
        ))}
        {policy.device ? (
          <Box fontSize="12px">
            {policy.device} has it of its own: it hides the lab&apos;s {policy.name} there.
          </Box>
        ) : (
          owners.length > 0 && (
            <Box fontSize="12px">
              {owners.join(', ')} {owners.length === 1 ? 'has its' : 'have their'} own {policy.name} instead.
            </Box>
          )
        )}
        <Box fontSize="12px" color="quiet">
          {policy.uses.length === 0 ? 'Nobody uses it.' : policy.uses.map((u) => u.words).join('; ')}
        </Box>
        <Flex align="center" gap={2}>
          <Box fontWeight="650" fontSize="12px">
            {changed ? 'a draft of it' : 'as it runs; edit it to try a draft'}
          </Box>
          <Box flex={1} />
          {changed && (
            <Plain size="xs" h="24px" onClick={() => setDraft(undefined)}>
              Undo
            </Plain>
          )}
        </Flex>
        <chakra.textarea
          aria-label="The policy"
          value={draft ?? block?.text ?? ''}
          onChange={(e) => setDraft(e.target.value)}
          spellCheck={false}
          fontFamily="mono"
          fontSize="12px"
          bg="panel"
          border="1px solid"
          borderColor={changed ? 'plum' : 'line'}
          borderRadius="md"
          p={2}
          rows={Math.min(22, Math.max(8, (draft ?? block?.text ?? '').split('\n').length + 1))}
        />
        {bench.data?.problems.map((p, i) => (
          <Box key={i} color="brick" fontSize="12px">
            line {p.line - (block?.from ?? 0)} of the policy: {p.message}
            {p.hint ? `; ${p.hint}` : ''}
          </Box>
        ))}
        {changed && bench.data?.problems.length === 0 && (
          <Plain size="xs" h="28px" onClick={intoDraft}>
            Copy into the text
          </Plain>
        )}
      </Flex>
      <Flex direction="column" flex={1} minW={0} p={4}>
        <Flex gap={4} mb={3} align="center" wrap="wrap">
          <Pick
            label="tried on"
            value={at ? keyOf(at) : typed}
            onChange={setSource}
            options={[
              ...uses.map((u) => [keyOf(u), u.words] as const),
              [typed, 'routes typed here'] as const,
            ]}
          />
          <Count n={bench.data?.accepted ?? 0} what={`of ${bench.data?.rows.length ?? 0} accepted`} />
          {changed && (
            <Count
              n={bench.data?.differs ?? 0}
              what="come out otherwise with the draft"
              tone={(bench.data?.differs ?? 0) > 0 ? 'plum' : 'ink'}
            />
          )}
          <Box flex={1} />
          {changed && (
            <Choice on={only} onClick={() => setOnly(!only)}>
              Only what differs
            </Choice>
          )}
        </Flex>
        {!at && (
          <Box mb={3}>
            <chakra.textarea
              aria-label="Routes to try"
              value={routes}
              onChange={(e) => setRoutes(e.target.value)}
              spellCheck={false}
              fontFamily="mono"
              fontSize="12px"
              bg="panel"
              border="1px solid"
              borderColor="line"
              borderRadius="md"
              p={2}
              rows={4}
              w="full"
            />
            <Quiet fontSize="11.5px">
              A prefix a line, then path, med, local-preference, community, origin, next-hop, tag, metric or
              source, as far as they matter.
            </Quiet>
          </Box>
        )}
        {bench.error && <Trouble error={bench.error} />}
        {(bench.data?.unused.length ?? 0) > 0 && (
          <Box color="ochre" fontSize="12px" mb={2}>
            {bench.data?.unused.join(', ')}: matches none of these routes.
          </Box>
        )}
        <Scroll label="Verdicts" flex={1} minH={0}>
          <chakra.table w="full" style={{ borderCollapse: 'collapse' }}>
            <thead>
              <tr>
                {['prefix', 'AS path', 'verdict', 'what changed', ...(changed ? ['with the draft'] : [])].map(
                  (h) => (
                    <chakra.th
                      key={h}
                      textAlign="left"
                      fontWeight="500"
                      fontSize="12px"
                      color="quiet"
                      px={3}
                      py={2}
                    >
                      {h}
                    </chakra.th>
                  ),
                )}
              </tr>
            </thead>
            <tbody>
              {rows.slice(0, 400).map((r, i) => (
                <Row
                  key={`${i} ${r.prefix}`}
                  r={r}
                  draft={changed}
                  open={open === `${i} ${r.prefix}`}
                  toggle={() => setOpen(open === `${i} ${r.prefix}` ? '' : `${i} ${r.prefix}`)}
                />
              ))}
            </tbody>
          </chakra.table>
          {rows.length > 400 && <Quiet>and {rows.length - 400} more</Quiet>}
          {rows.length === 0 && !bench.error && (
            <Empty title={only ? 'No verdict changes' : 'No route to try'}>
              {only
                ? 'The draft comes to the same for all of these routes.'
                : 'The session has none, or none is typed.'}
            </Empty>
          )}
        </Scroll>
      </Flex>
    </Flex>
  );
}

/** A policy among all: a router's own by the router as well. */
const nameOf = (p: { name: string; device?: string }) => (p.device ? `${p.name} of ${p.device}` : p.name);

const keyOf = (u: { device: string; peer?: string; role: string }) => `${u.device}/${u.peer ?? ''} ${u.role}`;

/** The four tables of a session: what each end was sent, and what it has to send. */
const tables = (s: MapSession) =>
  [
    [refOf({ device: s.a, instance: s.inA }), s.peer] as const,
    ...(s.back ? [[refOf({ device: s.b, instance: s.inB }), s.back] as const] : []),
  ].flatMap(([device, peer]) => [
    { device, peer, role: 'in', words: `${device}, what ${peer} sends` },
    { device, peer, role: 'out', words: `${device}, what ${peer} would be sent` },
  ]);

const verdict = (t: { accepted: boolean }) => (t.accepted ? 'accepted' : 'rejected');

function Row({ r, draft, open, toggle }: { r: Tried; draft: boolean; open: boolean; toggle: () => void }) {
  const by = r.trace.steps.filter((s) => s.matched).at(-1)?.statement;
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        cursor="pointer"
        onClick={toggle}
        bg={r.differs ? 'plumSoft' : undefined}
      >
        <Cell>
          <chakra.button aria-expanded={open} title="statement by statement">
            <Mono fontWeight="600">{r.prefix}</Mono>
          </chakra.button>
        </Cell>
        <Cell>
          <Mono whiteSpace="nowrap">{pathWords(r.before)}</Mono>
        </Cell>
        <Cell>
          <Box as="span" color={r.trace.accepted ? 'leaf' : 'brick'} fontWeight="650">
            {verdict(r.trace)}
          </Box>{' '}
          <Quiet fontSize="12px">{r.trace.atEnd ? 'at the end' : `by ${by ?? ''}`}</Quiet>
        </Cell>
        <Cell>
          <Box fontSize="12px">{r.changes.length === 0 ? <Quiet>nothing</Quiet> : r.changes.join('; ')}</Box>
        </Cell>
        {draft && (
          <Cell>
            {r.draft && (
              <Box as="span" color={r.draft.accepted ? 'leaf' : 'brick'} fontWeight={r.differs ? 700 : 400}>
                {verdict(r.draft)}
                {r.differs && r.draft.accepted === r.trace.accepted ? ', changed otherwise' : ''}
              </Box>
            )}
          </Cell>
        )}
      </Box>
      {open && (
        <tr>
          <chakra.td px={3} pb={3} fontSize="12px" {...{ colSpan: draft ? 5 : 4 }}>
            <Flex gap={8}>
              <Box flex={1}>
                <Steps trace={r.trace} />
              </Box>
              {r.draft && (
                <Box flex={1}>
                  <Quiet>the draft: </Quiet>
                  <Steps trace={r.draft} />
                </Box>
              )}
            </Flex>
          </chakra.td>
        </tr>
      )}
    </>
  );
}

const Cell = ({ children }: { children: React.ReactNode }) => (
  <chakra.td px={3} py="6px" verticalAlign="top">
    {children}
  </chakra.td>
);
