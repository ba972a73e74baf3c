import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { Difference, Previewed, Section } from '../../shared/api/client';
import { CheckCard } from '../checks/ChecksView';
import { Summary } from '../compare/ComparisonView';
import { titles, tone } from '../compare/rows';
import { changeWords } from '../../shared/draft/changes';
import { ask } from '../../shared/api/questions';
import { turns, withinWords } from '../../shared/failing/words';
import { useFocus } from '../../shared/focus/focus';
import { useLook } from '../../shared/focus/looks';
import { Mono, Quiet } from '../../shared/parts/parts';
import { allPass, duration, orderWords, plural } from '../../shared/parts/words';

/** What a change would do: in words, on the way, and difference by difference. */
export function PreviewPanel({ preview: p, stale }: { preview: Previewed; stale: boolean }) {
  const { id } = useFocus();
  useLook(id, 'preview');
  const failed = p.checks.filter((c) => c.after && !c.after.passed);
  return (
    <Box opacity={stale ? 0.55 : 1} data-testid="preview">
      {stale && (
        <Box color="ochre" mb={2} role="status">
          The draft has changed since: preview it again.
        </Box>
      )}
      {p.takenBack && (
        <Box bg="brickSoft" color="brick" px={3} py={2} mb={2} borderRadius="md" role="status">
          It would be taken back automatically: {p.takenBack}. What follows is the network after that.
        </Box>
      )}
      {!p.settles && (
        <Box bg="brickSoft" color="brick" px={3} py={2} mb={2} borderRadius="md">
          The network would not settle.
        </Box>
      )}
      <Summary lines={p.summary} />
      <Flows flows={p.flows} />
      {p.checks.length > 0 && (
        <Part
          title={
            failed.length === 0 ? allPass(p.checks.length) : `${plural(failed.length, 'check')} would fail`
          }
          tone={failed.length === 0 ? 'leaf' : 'brick'}
          open={failed.length > 0}
        >
          {failed.map((c) => (
            <Box key={c.name}>
              {c.before === false && <Quiet>it fails now as well:</Quiet>}
              {c.after && <CheckCard check={c.after} failedOnly onCopy />}
            </Box>
          ))}
          {p.checks
            .filter((c) => c.after?.passed)
            .map((c) => (
              <Box key={c.name}>
                <Box as="span" color="leaf" fontWeight="650">
                  passes
                </Box>{' '}
                {c.name}
                {c.before === false && <Quiet>, and fails now</Quiet>}
              </Box>
            ))}
        </Part>
      )}
      <Failures id={id} preview={p.id} />
      {p.actions.length > 1 && (
        <Part title={`${p.actions.length} steps`} open>
          {p.actions.map((a) => (
            <Box key={a.seq} py="3px">
              <Quiet>{orderWords(a) || a.action}: </Quiet>
              {a.summary}
            </Box>
          ))}
        </Part>
      )}
      {p.sections
        .filter((s) => s.total > 0)
        .map((s) => (
          <SectionPart key={s.name} section={s} />
        ))}
      <Part title={`${plural(p.changes.length, 'change')} of the text, by meaning`}>
        {p.changes.slice(0, 300).map((c, i) => (
          <Box key={i} py="3px" overflowWrap="anywhere">
            <Mono fontWeight="600">{c.subject}</Mono> {c.what} <Mono>{changeWords(c)}</Mono>
            <Quiet display="block" fontSize="11.5px">
              {c.effect}
            </Quiet>
          </Box>
        ))}
      </Part>
    </Box>
  );
}

/** What the change makes of failures. */
function Failures({ id, preview }: { id: string; preview: string }) {
  const held = useQuery(ask.previewFailures(id, preview));
  const w = held.data;
  if (!w)
    return (
      <Quiet display="block" mt={2}>
        {held.error ? held.error.message : 'trying failures before and after it'}
      </Quiet>
    );
  if (w.of === 0) return null;
  return (
    <Part title={withinWords(w)} tone={w.worse > 0 ? 'brick' : 'leaf'} open={w.worse > 0}>
      {w.changes.slice(0, 40).map((c) => (
        <Box key={c.title} py="3px">
          <Box as="span" color={turns[c.turn].color} fontWeight="650">
            {turns[c.turn].words}
          </Box>{' '}
          <b>{c.title}</b>
          {c.wasSays && <Quiet display="block">before: {c.wasSays}</Quiet>}
          {c.isSays && <Box>after: {c.isSays}</Box>}
        </Box>
      ))}
      {w.changes.length === 0 && (
        <Quiet>Links, routers, segments, sessions and risk groups were tried.</Quiet>
      )}
    </Part>
  );
}

function fateOf(f: Previewed['flows'][number]): string {
  if (!f.before) return f.after ? 'arrives again' : 'is out as before';
  if (!f.after) return 'breaks for good';
  return f.out > 0 ? `is out for ${duration(f.out)} meanwhile` : 'is never out';
}

function Flows({ flows }: { flows: Previewed['flows'] }) {
  if (flows.length === 0) return <Quiet display="block">No flow is out meanwhile.</Quiet>;
  return (
    <Box mt={2}>
      {flows.map((f) => (
        <Box
          key={f.name}
          color={!f.before ? undefined : !f.after ? 'brick' : f.out > 0 ? 'ochre' : undefined}
        >
          flow <b>{f.name}</b> {fateOf(f)}
          {f.looped.length > 0 && ', and its packets loop for a time'}
          {f.outages.slice(0, 2).map((o, i) => (
            <Quiet key={i} display="block" fontSize="11.5px">
              {o.cause}
            </Quiet>
          ))}
        </Box>
      ))}
    </Box>
  );
}

function SectionPart({ section: s }: { section: Section }) {
  const [all, setAll] = useState(false);
  const rows = all ? s.rows : s.rows.slice(0, 12);
  const outside = s.rows.some((r) => r.outside);
  return (
    <Part
      title={`${titles[s.name] ?? s.name} ${s.total}`}
      note={s.says}
      open={s.name === 'flows' || s.name === 'neighbours' || outside}
    >
      {rows.map((r, i) => (
        <Row key={i} row={r} />
      ))}
      {s.rows.length > rows.length && (
        <chakra.button color="plum" textDecoration="underline" onClick={() => setAll(true)}>
          and {s.total - rows.length} more
        </chakra.button>
      )}
    </Part>
  );
}

function Row({ row: r }: { row: Difference }) {
  return (
    <Box py="4px" borderTop="1px solid" borderColor="line" overflowWrap="anywhere">
      <Flex gap={2}>
        <Box color={tone(r)} fontWeight="650">
          {r.kind}
        </Box>
        <Box flex={1}>
          <b>{r.device}</b>
          {r.other && r.section !== 'paths' && ` ${r.section === 'received' ? 'from' : 'to'} ${r.other}`}{' '}
          <Mono>{r.subject}</Mono>
        </Box>
      </Flex>
      {r.before && <Quiet display="block">before: {r.before}</Quiet>}
      {r.after && <Box>after: {r.after}</Box>}
    </Box>
  );
}

interface PartProps {
  title: string;
  note?: string;
  tone?: string;
  open?: boolean;
  children: React.ReactNode;
}

function Part({ title, note, tone, open: initially = false, children }: PartProps) {
  const [open, setOpen] = useState(initially);
  return (
    <Box mt={3}>
      <chakra.button
        fontWeight="650"
        color={tone}
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        textAlign="left"
      >
        {open ? '−' : '+'} {title}
      </chakra.button>
      {note && (
        <Quiet ml={2} fontSize="11.5px">
          {note}
        </Quiet>
      )}
      {open && <Box mt={1}>{children}</Box>}
    </Box>
  );
}
