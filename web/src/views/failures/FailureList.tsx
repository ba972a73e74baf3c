import { Box, Flex } from '@chakra-ui/react';
import { useNavigate } from 'react-router';
import type { SweepFound, SweepRow, Swept } from '../../shared/api/client';
import { useOpenFailure } from '../../shared/api/orders';
import { useFocus } from '../../shared/focus/focus';
import type { Long } from '../../shared/parts/pages';
import { Mono, Plain, Quiet } from '../../shared/parts/parts';
import { Td } from '../../shared/parts/table';
import { duration, plural } from '../../shared/parts/words';
import { FailureSheet } from './FailureSheet';
import { looks } from '../../shared/failing/words';

const heads = ['harm', 'failure', 'what it does', 'converged', 'routes'];

/** Failures, the worst first; one that is chosen says all that it does. */
export const FailureList = ({
  sweep,
  found,
  long,
}: {
  sweep: SweepRow;
  found: SweepFound;
  long: Long<Swept>;
}) => (
  <FailureSheet label="Failures" heads={heads} found={found} long={long} height={48}>
    {(r, open, toggle) => <FailureRow key={r.title} of={r} sweep={sweep.id} open={open} toggle={toggle} />}
  </FailureSheet>
);

/** How bad a failure is: a mark and a colour. */
export const HarmMark = ({ harm }: { harm: Swept['harm'] }) => (
  <Box as="span" color={looks[harm].color} whiteSpace="nowrap">
    <span aria-hidden>{looks[harm].mark}</span> {looks[harm].words}
  </Box>
);

function FailureRow({
  of: r,
  sweep,
  open,
  toggle,
}: {
  of: Swept;
  sweep: string;
  open: boolean;
  toggle: () => void;
}) {
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        cursor="pointer"
        onClick={toggle}
        bg={open ? 'plumSoft' : undefined}
        _hover={{ bg: open ? 'plumSoft' : 'paper' }}
        data-testid="failure"
      >
        <Td>
          <HarmMark harm={r.harm} />
        </Td>
        <Td fontWeight="600">
          <Box as="button" textAlign="left" aria-expanded={open}>
            {r.title}
          </Box>
        </Td>
        <Td color={r.harm === 'none' ? 'quiet' : undefined}>
          {r.says}
          {r.argued && <Quiet title={r.argued}> (by argument)</Quiet>}
        </Td>
        <Td whiteSpace="nowrap">
          {r.convergence == null ? <Quiet>nothing moved</Quiet> : duration(r.convergence)}
        </Td>
        <Td>{r.routes}</Td>
      </Box>
      {open && (
        <tr>
          <Td {...{ colSpan: heads.length }} bg="panel">
            <FailureDetail of={r} sweep={sweep} />
          </Td>
        </tr>
      )}
    </>
  );
}

/** All that a failure does, and the way into it. */
export function FailureDetail({ of: r, sweep }: { of: Swept; sweep: string }) {
  const { id } = useFocus();
  const navigate = useNavigate();
  const look = useOpenFailure(id, (made) => void navigate(`/lab/${made.id}/timeline`));
  const p = r.pairs;
  return (
    <Box fontSize="12.5px">
      <Flex gap={3} align="center" mb={1} wrap="wrap">
        <Plain
          onClick={() => look.mutate({ sweep, name: r.name, ...(r.after ? { after: r.after } : {}) })}
          disabled={look.isPending}
        >
          {look.isPending ? 'making a lab of it' : 'Look into it'}
        </Plain>
        <Quiet>
          Makes a lab in which it happens, with timeline, paths and Why:{' '}
          <Mono>{[...(r.drain ?? []), ...r.actions].join('; ')}</Mono>
        </Quiet>
      </Flex>
      {look.error && <Box color="brick">{look.error.message}</Box>}
      <Facts what="By argument">{!!r.argued && [<Box key="a">{r.argued}</Box>]}</Facts>
      <Facts what="Convergence by part">
        {partWords(r.parts).length > 0 && [<Box key="p">{partWords(r.parts).join(', ')}</Box>]}
      </Facts>
      <Facts what="Flows">
        {r.flows.map((f) => (
          <Box key={f.name}>
            <b>{f.name}</b>{' '}
            {f.lost ? 'is lost for good' : f.repaired ? 'arrives again' : `is out for ${duration(f.out)}`}
            {f.cause && <Quiet>: {f.cause}</Quiet>}
          </Box>
        ))}
      </Facts>
      <Facts what="Checks that fail">
        {r.checks.map((c) => (
          <Box key={c}>{c}</Box>
        ))}
      </Facts>
      {p.of > 0 && (
        <Facts what="Pairs of hosts and loopbacks">
          {[
            <Box key="n">
              {p.lost} of {p.of} lost for good, {p.out} out for a time
              {p.longest > 0 && `, ${duration(p.longest)} at most`}
              {p.loops > 0 && `, ${plural(p.loops, 'loop')} on the way`}
            </Box>,
            ...p.examples.map((e) => (
              <Quiet key={e} display="block">
                {e}
              </Quiet>
            )),
          ]}
        </Facts>
      )}
      <Facts what="Cut off">{r.cutOff.length > 0 && [<Box key="c">{r.cutOff.join(', ')}</Box>]}</Facts>
      <Facts what="With a default route alone">
        {r.defaultOnly.length > 0 && [<Box key="d">{r.defaultOnly.join(', ')}</Box>]}
      </Facts>
      <Facts what={`Borders of AS ${r.borders.as}`}>
        {r.borders.moved + r.borders.gone + r.borders.sent > 0 && [
          <Box key="b">
            {r.borders.moved} moved to another neighbour AS, {r.borders.gone} gone, {r.borders.sent} sent
            where they were not
          </Box>,
          ...r.borders.says.map((s) => (
            <Quiet key={s} display="block">
              {s}
            </Quiet>
          )),
        ]}
      </Facts>
      <Facts what="Overloaded ports">
        {r.overloaded.map((l) => (
          <Box key={l.port}>
            <b>{l.port}</b> carries {l.percent.toFixed(0)}% of its bandwidth
          </Box>
        ))}
      </Facts>
    </Box>
  );
}

/** When each part of a convergence was over. */
const partWords = (p: Swept['parts']) =>
  (
    [
      ['noticed', p.noticed],
      ['flooding', p.flooding],
      ['SPF', p.spf],
      ['BGP updates', p.updates],
      ['forwarding', p.forwarding],
    ] as const
  ).flatMap(([what, at]) => (at == null ? [] : [`${what} ${duration(at)}`]));

function Facts({ what, children }: { what: string; children: React.ReactNode[] | false }) {
  if (!children || children.length === 0) return null;
  return (
    <Flex gap={2} mb="3px">
      <Box color="quiet" w="190px" flexShrink={0}>
        {what}
      </Box>
      <Box flex={1}>{children}</Box>
    </Flex>
  );
}
