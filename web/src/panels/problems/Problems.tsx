import { useIsFetching, useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import type { ReactNode } from 'react';
import { shortHash } from '../../shared/api/keys';
import { ask } from '../../shared/api/questions';
import type { Fix, Neighbour } from '../../shared/api/client';
import { Fixes, keyOf } from '../../shared/draft/Fixes';
import { useDrafting } from '../../shared/draft/drafting';
import { mended } from '../../shared/draft/edits';
import { useFocus } from '../../shared/focus/focus';
import { Aside, Plain, Quiet, Waiting } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';

/** Something that is wrong, in a sentence, and what mends it. */
export interface Wrong {
  /** Whom or what it is about, and where that is to be seen. */
  about: string;
  text: string;
  tone: 'brick' | 'ochre';
  fixes: Fix[];
  show: () => void;
  /** A word of the text that is to be another one. */
  word?: { title: string; write: () => void };
}

const fixesOf = (n: Neighbour): Fix[] => n.reasons.flatMap((r) => r.fixes ?? []);

/** Each way to mend something is offered once, where it comes first. */
export function onceOffered(list: Wrong[]): Wrong[] {
  const seen = new Set<string>();
  return list.map((w) => {
    const fresh = w.fixes.filter((f) => !seen.has(keyOf(f)));
    for (const f of fresh) seen.add(keyOf(f));
    return { ...w, fixes: fresh };
  });
}

/** Everything that is wrong now: relations, flows, checks, and what the text and the network warn of. */
export function useWrong(whole: boolean): { list: Wrong[]; pending: boolean } {
  const { id, focus, show } = useFocus();
  const drafting = useDrafting();
  const neighbours = useQuery(ask.neighbours(id, focus.when, { wrong: true }));
  const map = useQuery(ask.map(id, focus.when));
  const checks = useQuery(ask.checks(id, 'now'));
  // What takes a look at every path is asked for only when it is read.
  const running = useQuery({ ...ask.warnings(id, focus.when), enabled: whole });
  const list: Wrong[] = [];
  for (const n of neighbours.data?.neighbours ?? []) {
    const reasons = n.reasons.filter((r) => !n.up || r.fixes);
    const first = reasons[0];
    if (n.up && !first) continue;
    list.push({
      about: `${n.a.device} - ${n.b.device || 'nobody'}`,
      text: `${n.protocol === 'bgp' ? 'BGP session' : 'OSPF adjacency'} ${n.up ? 'up, but' : n.state}${first ? `: ${reasons.map((r) => r.text).join('; ')}` : ''}`,
      tone: n.up ? 'ochre' : 'brick',
      fixes: fixesOf(n),
      show: () => void show('neighbours', { who: n.a.device }),
    });
  }
  for (const f of map.data?.flows ?? []) {
    const bad = f.arrives ? f.back : f;
    if (f.arrives && f.back.arrives) continue;
    list.push({
      about: `flow ${f.name}`,
      text: `${f.arrives ? 'the answers do not come back: ' : ''}${bad.reason ?? 'it does not arrive'}`,
      tone: 'brick',
      fixes: bad.fixes ?? [],
      show: () => void show('map', { to: `flow ${f.name}` }),
    });
  }
  for (const c of checks.data ?? []) {
    if (c.passed) continue;
    const failed = c.outcomes.filter((o) => !o.passed);
    list.push({
      about: `check "${c.name}"`,
      text: c.error ?? failed.map((o) => o.says).join('; '),
      tone: 'brick',
      fixes: c.when.length > 0 ? [] : failed.flatMap((o) => o.facts.flatMap((f) => f.fixes ?? [])),
      show: () => void show('checks'),
    });
  }
  if (!drafting.past) {
    for (const p of drafting.problems) {
      const { fix } = p;
      list.push({
        about: `line ${p.line}`,
        text: p.hint ? `${p.message}; ${p.hint}` : p.message,
        tone: p.severity === 'error' ? 'brick' : 'ochre',
        fixes: (p.edits ?? []).map((e) => ({ edits: e.split('\n') })),
        show: () => void show('text'),
        ...(fix
          ? {
              word: {
                title: fix.title,
                write: () => drafting.write(mended(drafting.draft.text, p.line, fix)),
              },
            }
          : {}),
      });
    }
  }
  for (const w of running.data ?? []) {
    if (w.weight !== 'warning') continue;
    list.push({
      about: w.device,
      text: `${w.text}; ${w.hint}`,
      tone: 'ochre',
      fixes: w.fixes ?? [],
      show: () => void show('paths', { who: w.device }),
    });
  }
  const once = onceOffered(list);
  return {
    // A warning whose fixes are all offered above says what was said there.
    list: once.filter((w, i) => w.tone === 'brick' || w.fixes.length > 0 || list[i]?.fixes.length === 0),
    pending: neighbours.isPending || map.isPending,
  };
}

/** Whether a question is one of those that the list is made of. */
const isOfProblems = (hash: string, id: string, when: string) =>
  [
    ask.neighbours(id, when, { wrong: true }),
    ask.map(id, when),
    ask.checks(id, 'now'),
    ask.warnings(id, when),
  ].some((q) => shortHash(q.queryKey) === hash);

/** What is wrong, on every view, with what mends it. */
export function Problems({ close }: { close: () => void }) {
  const { list, pending } = useWrong(true);
  // What is listed may be mended already, by the draft or by what has just been done.
  const { id, focus } = useFocus();
  const drafting = useDrafting();
  const asked = useIsFetching({ predicate: (q) => isOfProblems(q.queryHash, id, focus.when) });
  const busy = asked > 0 || drafting.checking;
  return (
    <Aside label="Problems" wide={340} aria-busy={busy}>
      <Flex align="center" mb={2}>
        <Box as="h2" fontSize="14px" flex={1}>
          {pending ? 'Problems' : list.length === 0 ? 'No problems' : plural(list.length, 'problem')}
        </Box>
        <Plain size="xs" h="22px" onClick={close}>
          close
        </Plain>
      </Flex>
      {pending && <Waiting what="looking" />}
      {!pending && list.length === 0 && (
        <Quiet>Every adjacency and session is up, every flow arrives, and every check passes.</Quiet>
      )}
      {list.slice(0, 60).map((w) => (
        <One key={`${w.about} ${w.text}`} w={w}>
          <Fixes fixes={w.fixes} />
          {w.word && (
            <Plain size="xs" h="22px" mt={1} onClick={w.word.write}>
              Fix: {w.word.title}
            </Plain>
          )}
        </One>
      ))}
      {list.length > 60 && <Quiet>and {list.length - 60} more</Quiet>}
    </Aside>
  );
}

function One({ w, children }: { w: Wrong; children: ReactNode }) {
  return (
    <Box borderLeft="3px solid" borderColor={w.tone} pl={3} py={1} mb={2} data-testid="problem">
      <chakra.button
        fontWeight="650"
        color={w.tone}
        textAlign="left"
        textDecoration="underline"
        onClick={w.show}
      >
        {w.about}
      </chakra.button>
      <Box overflowWrap="anywhere">{w.text}</Box>
      {children}
    </Box>
  );
}
