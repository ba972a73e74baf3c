import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { type PathRow, type RouterPaths, type SentRow } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { useFocus } from '../../shared/focus/focus';
import { Empty, Mono, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Scroll } from '../../shared/parts/table';
import { Trace } from './Trace';
import { details, pathWords } from './words';

interface Props {
  id: string;
  when: string;
  to: string;
  device: string;
}

/** How each router came to its path to a prefix, and to which peer it sent it. */
export function PrefixStory({ id, when, to, device }: Props) {
  const data = useQuery(ask.paths(id, when, to, device));
  const { set } = useFocus();
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the paths" />;
  const { routers, near, prefix } = data.data;
  if (routers.length === 0) {
    return (
      <Empty title={`BGP has no ${prefix}`}>
        {near.length === 0
          ? 'Nor any prefix that covers it or is within it.'
          : 'It has prefixes that cover it or are within it: '}
        {near.map((p) => (
          <chakra.button key={p} mr={3} color="plum" onClick={() => void set({ to: p })}>
            <Mono>{p}</Mono>
          </chakra.button>
        ))}
      </Empty>
    );
  }
  return (
    <Scroll label="Paths" flex={1} minH={0} p={0}>
      {routers.length > 1 && <AtAGlance routers={routers} />}
      {routers.map((r) => (
        <Router key={r.device} r={r} />
      ))}
    </Scroll>
  );
}

/** A line for each router: its path, where that goes, and why it is the best. */
function AtAGlance({ routers }: { routers: RouterPaths[] }) {
  const { set } = useFocus();
  return (
    <Box
      display="grid"
      gridTemplateColumns="minmax(110px, max-content) minmax(120px, max-content) minmax(80px, max-content) minmax(80px, max-content) 1fr"
      columnGap={5}
      px={4}
      py={3}
      borderBottom="2px solid"
      borderColor="line"
      role="table"
      aria-label="Each router in a line"
    >
      <Box role="row" display="contents" color="quiet" fontSize="12px">
        {['router', 'AS path', 'from', 'via', 'why it is best'].map((h) => (
          <Box role="columnheader" key={h}>
            {h}
          </Box>
        ))}
      </Box>
      {routers.map((r) => {
        const best = r.paths.find((p) => p.chosen);
        return (
          <Box role="row" display="contents" key={r.device}>
            <Box role="rowheader">
              <chakra.button fontWeight="600" onClick={() => void set({ who: r.device })}>
                {r.device}
              </chakra.button>{' '}
              <Quiet fontSize="12px">AS {r.as}</Quiet>
            </Box>
            <Box role="cell">
              {best ? <Mono>{pathWords(best.after)}</Mono> : <Box color="brick">none</Box>}
            </Box>
            <Box role="cell">{best ? (best.kind === 'own' ? 'itself' : best.from) : ''}</Box>
            <Box role="cell">{best?.after?.nextHopOf ?? best?.after?.nextHop ?? ''}</Box>
            <Box role="cell" color={best ? undefined : 'brick'}>
              {r.because}
              {r.uses && <Quiet>; the table prefers {r.uses}</Quiet>}
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}

function Router({ r }: { r: RouterPaths }) {
  const { set } = useFocus();
  return (
    <Box borderBottom="1px solid" borderColor="line" px={4} py={3} data-router={r.device}>
      <Flex gap={3} align="baseline" mb={2}>
        <chakra.button fontWeight="700" fontSize="14px" onClick={() => void set({ who: r.device })}>
          {r.device}
        </chakra.button>
        <Quiet>AS {r.as}</Quiet>
        <Box>{r.answer}.</Box>
      </Flex>
      <Box display="grid" gridTemplateColumns="minmax(420px, 3fr) minmax(300px, 2fr)" gap={6}>
        <Box>
          <Heading>received, and what became of it</Heading>
          {r.paths.length === 0 && <Quiet>nothing</Quiet>}
          {r.paths.map((p) => (
            <Path key={`${p.from} ${p.peer ?? ''}`} p={p} />
          ))}
          {r.missing.map((m) => (
            <Box key={m} fontSize="12px" color="quiet" mt={1}>
              {m}
            </Box>
          ))}
        </Box>
        <Box>
          <Heading>sent to its peers</Heading>
          {r.sent.map((s) => (
            <Sent key={s.peer} s={s} />
          ))}
        </Box>
      </Box>
    </Box>
  );
}

const Heading = ({ children }: { children: React.ReactNode }) => (
  <Box color="quiet" fontSize="11px" mb={1}>
    {children}
  </Box>
);

/** One path from its arrival through the import policy to the decision. */
function Path({ p }: { p: PathRow }) {
  const [open, setOpen] = useState(false);
  const tone = p.chosen ? 'leaf' : p.accepted ? 'ochre' : 'brick';
  const verdict = p.chosen ? 'chosen' : p.accepted ? 'not chosen' : 'not accepted';
  const a = p.after ?? p.received;
  return (
    <Box borderLeft="3px solid" borderColor={tone} pl={3} py={1} mb={2}>
      <chakra.button
        w="full"
        textAlign="left"
        onClick={() => setOpen(!open)}
        aria-expanded={open}
        title="the attributes, and what the import policy did"
      >
        <Flex gap={3} align="baseline" wrap="wrap">
          <Box fontWeight="650">{p.from}</Box>
          <Quiet fontSize="12px">{p.kind === 'own' ? 'its own' : `${p.kind}, ${p.peer ?? ''}`}</Quiet>
          <Mono>{pathWords(a)}</Mono>
          <Box color={tone} fontWeight="650" ml="auto">
            {verdict}
          </Box>
        </Flex>
        <Box fontSize="12px" color={p.chosen ? 'quiet' : 'ink'}>
          {p.why}
          {p.mine && p.theirs && p.against && (
            <>
              {': '}
              <b>{p.mine}</b> here, <b>{p.theirs}</b> from {p.against}
            </>
          )}
          {p.mine && !p.against && (
            <>
              {': '}
              <Mono>{p.mine}</Mono>
            </>
          )}
          {p.rfc && <Quiet> (RFC {p.rfc})</Quiet>}
        </Box>
        {!open && a && (
          <Box fontSize="11.5px" color="quiet">
            {details(a, p.cost)}
          </Box>
        )}
      </chakra.button>
      {!p.chosen && <Fixes fixes={p.fixes} />}
      {open && (
        <Box mt={1}>
          <Trace before={p.received} after={p.after} trace={p.import} cost={p.cost} what="import policy" />
        </Box>
      )}
    </Box>
  );
}

/** What one peer was sent. */
function Sent({ s }: { s: SentRow }) {
  const [open, setOpen] = useState(false);
  const tone = s.sent ? 'leaf' : s.up ? 'quiet' : 'brick';
  return (
    <Box borderLeft="3px solid" borderColor={s.sent ? 'leaf' : 'line'} pl={3} py={1} mb={1}>
      <chakra.button w="full" textAlign="left" onClick={() => setOpen(!open)} aria-expanded={open}>
        <Flex gap={3} align="baseline" wrap="wrap">
          <Box fontWeight="600">{s.to}</Box>
          {s.sent && <Mono>{pathWords(s.sent)}</Mono>}
          <Box color={tone} fontWeight="600" ml="auto" fontSize="12px">
            {s.sent ? 'sent' : s.code === 'waiting' ? 'waiting' : 'not sent'}
          </Box>
        </Flex>
        {(!s.sent || s.export) && (
          <Box fontSize="12px" color="quiet">
            {s.why}
            {s.remedy ? `. ${s.remedy[0]?.toUpperCase() ?? ''}${s.remedy.slice(1)}.` : ''}
          </Box>
        )}
      </chakra.button>
      <Fixes fixes={s.fixes} />
      {open && (s.sent ?? s.export) && (
        <Box mt={1}>
          <Trace after={s.sent} trace={s.export} what="export policy" />
        </Box>
      )}
    </Box>
  );
}
