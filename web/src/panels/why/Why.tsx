import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useMemo, useState } from 'react';
import { type Answer, type Fact, type MapData, type Neighbour } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { deviceOf, peerOf, useFocus, type Focus, type View } from '../../shared/focus/focus';
import { Line, Aside, Key, Main, Plain, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { useCursor } from '../../shared/parts/keys';
import { duration } from '../../shared/parts/words';

interface Props {
  map: MapData | undefined;
  neighbours: Neighbour[] | undefined;
  /** A port of the selected link, '' for none. */
  link: string;
  close: () => void;
  goto: (line: number) => void;
}

/** One place to ask about anything: a question, its answer, and what proves it. */
export function Why({ map, neighbours, link, close, goto }: Props) {
  const { id, focus } = useFocus();
  const cursor = useCursor<HTMLInputElement>();
  const [line, setLine] = useState('');
  const [asked, setAsked] = useState('');
  const answer = useQuery(ask.why(id, focus.when, asked, focus.who || link, focus.to));
  const offers = useMemo(() => offered(focus, link, map, neighbours), [focus, link, map, neighbours]);
  const pose = (q: string) => {
    setLine(q);
    setAsked(q);
  };
  return (
    <Aside label="Why" wide={320}>
      <Flex align="center" mb={2}>
        <Box as="h2" fontSize="14px" flex={1}>
          Why?
        </Box>
        <Plain size="xs" h="22px" onClick={close} aria-label="Close the questions">
          close
        </Plain>
      </Flex>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          setAsked(line.trim());
        }}
      >
        <Flex gap={2}>
          <Line
            ref={cursor}
            onKeyDown={(e) => e.key === 'Escape' && close()}
            aria-label="Question"
            value={line}
            onChange={(e) => setLine(e.target.value)}
            placeholder={offers[0] ?? 'why ...'}
            h="32px"
            px={3}
            borderRadius="md"
          />
          <Main type="submit" disabled={line.trim() === ''}>
            Ask
          </Main>
        </Flex>
      </form>
      {asked === '' && offers.length === 0 && (
        <Quiet display="block" mt={3}>
          Ask about a neighbour, a route, a prefix that is sent or not, the path of traffic, or what would
          break. What the question leaves out comes from the focus: choose a device, a link or a prefix to get
          its questions here. <Key>y</Key> opens and closes this.
        </Quiet>
      )}
      {asked !== '' && answer.isPending && (
        <Working
          what="looking for the reasons"
          query={answer}
          of={ask.why(id, focus.when, asked, focus.who || link, focus.to).queryKey}
        />
      )}
      {answer.error && <Trouble error={answer.error} />}
      {answer.data && asked !== '' && <Answered answer={answer.data} goto={goto} />}
      {offers.length > 0 && (
        <Flex direction="column" gap={1} mt={3} aria-label="Questions about the focus">
          {offers.map((q) => (
            <chakra.button
              key={q}
              textAlign="left"
              color="plum"
              textDecoration="underline"
              onClick={() => pose(q)}
            >
              {q}
            </chakra.button>
          ))}
        </Flex>
      )}
    </Aside>
  );
}

/** The questions that the focus brings to mind. */
export function offered(
  focus: Focus,
  link: string,
  map: MapData | undefined,
  neighbours: Neighbour[] | undefined,
): string[] {
  const out: string[] = [];
  const who = deviceOf(focus.who);
  const port = focus.who.includes('.') && !focus.who.includes('/') ? focus.who : link;
  const prefix = /^\d/.test(focus.to) ? focus.to : '';
  if (peerOf(focus.who)) out.push(`why is the session ${focus.who} in its state`);
  if (peerOf(focus.who) && prefix) out.push(`why is ${prefix} sent to ${focus.who}, or not`);
  if (who && prefix) out.push(`why ${prefix} on ${who}`);
  if (who && prefix) {
    // What another AS is sent is asked for most.
    for (const s of [...(map?.sessions ?? [])].sort((x, y) => Number(y.external) - Number(x.external))) {
      if (s.a === who && !peerOf(focus.who)) out.push(`why is ${prefix} sent to ${s.b} by ${who}, or not`);
      if (s.b === who && !peerOf(focus.who)) out.push(`why is ${prefix} sent to ${s.a} by ${who}, or not`);
    }
  }
  if (!who && prefix) out.push(`who has a route to ${prefix}`);
  if (focus.to.startsWith('flow ')) out.push(`why does ${focus.to} take this path`);
  if (port) out.push(`what breaks without ${port}`);
  for (const n of neighbours ?? []) {
    if (!n.up && who && (n.a.device === who || n.b.device === who) && !n.b.absent)
      out.push(`why is ${n.a.device} - ${n.b.device} not up`);
  }
  if (who && !port) out.push(`what breaks without ${who}`);
  if (!who && !focus.to)
    out.push(
      ...(neighbours ?? [])
        .filter((n) => !n.up && !n.b.absent)
        .map((n) => `why is ${n.a.device} - ${n.b.device} not up`),
      ...(map?.flows ?? []).map((f) => `why does flow ${f.name} take this path`),
    );
  return [...new Set(out)].slice(0, 7);
}

function Answered({ answer: a, goto }: { answer: Answer; goto: (line: number) => void }) {
  return (
    <Box mt={4} data-testid="answer">
      <Quiet display="block">{a.question}</Quiet>
      <Box fontWeight="600" mt={1} overflowWrap="anywhere">
        {a.says}
      </Box>
      <Box as="ol" listStyleType="none" mt={2}>
        {a.facts.map((f, i) => (
          <Box
            as="li"
            key={i}
            borderLeft="2px solid"
            borderColor="line"
            pl={3}
            pb={2}
            overflowWrap="anywhere"
          >
            {f.text} <Proof fact={f} goto={goto} />
            <Fixes fixes={f.fixes} />
          </Box>
        ))}
      </Box>
    </Box>
  );
}

/** Leads to where a fact is to be seen. */
function Proof({ fact: f, goto }: { fact: Fact; goto: (line: number) => void }) {
  const { show } = useFocus();
  if (f.line)
    return (
      <chakra.button
        color="plum"
        textDecoration="underline"
        fontSize="11.5px"
        onClick={() => goto(f.line ?? 1)}
      >
        line {f.line}
      </chakra.button>
    );
  if (!f.view || f.view === 'text') return null;
  const change = {
    ...(f.who ? { who: f.who } : {}),
    ...(f.to ? { to: f.to } : {}),
    ...(f.when !== undefined ? { when: f.when.toFixed(6) } : {}),
  };
  return (
    <chakra.button
      color="plum"
      textDecoration="underline"
      fontSize="11.5px"
      onClick={() => void show(f.view as View, change)}
    >
      {f.when === undefined
        ? `see ${f.view}`
        : `${f.view === 'packets' ? 'the packets' : 'the moment'}, ${duration(f.when)}`}
    </chakra.button>
  );
}
