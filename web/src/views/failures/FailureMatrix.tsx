import { Box } from '@chakra-ui/react';
import type { FlowImpact, SweepFound, Swept } from '../../shared/api/client';
import type { Long } from '../../shared/parts/pages';
import { Empty } from '../../shared/parts/parts';
import { Td } from '../../shared/parts/table';
import { FailureDetail, HarmMark } from './FailureList';
import { FailureSheet } from './FailureSheet';
import { cellWords } from '../../shared/failing/words';

interface Props {
  found: SweepFound;
  long: Long<Swept>;
  /** The flow in focus, '' for none. */
  flow: string;
}

/** Failures by flows: how long each failure takes each flow down. Colour, pattern and number say the same. */
export function FailureMatrix({ found, long, flow }: Props) {
  const flows = flow ? found.flows.filter((f) => f === flow) : found.flows;
  if (flows.length === 0)
    return (
      <Empty title="No flows">
        The text of this lab names no flow. Write flow tickets from halt to kiosk, say, and sweep again.
      </Empty>
    );
  const heads = ['failure', ...flows];
  return (
    <FailureSheet label="Failures by flow" heads={heads} found={found} long={long} height={32}>
      {(r, open, toggle) => (
        <Cells key={r.title} of={r} flows={flows} sweep={found.sweep.id} open={open} toggle={toggle} />
      )}
    </FailureSheet>
  );
}

/** What is lost is hatched one way, what is out for a time the other. */
const hatch = (degrees: number, token: string) =>
  `repeating-linear-gradient(${degrees}deg, transparent 0 5px, var(--chakra-colors-${token}) 5px 6px)`;

const styleOf = (f: FlowImpact | undefined) => {
  if (f === undefined) return {};
  if (f.lost)
    return { bg: 'brickSoft', color: 'brick', backgroundImage: hatch(45, 'line'), fontWeight: '650' };
  if (f.repaired) return { bg: 'leafSoft', color: 'leaf' };
  return { bg: 'ochreSoft', color: 'ink', backgroundImage: hatch(0, 'line') };
};

function Cells({
  of: r,
  flows,
  sweep,
  open,
  toggle,
}: {
  of: Swept;
  flows: string[];
  sweep: string;
  open: boolean;
  toggle: () => void;
}) {
  const by = new Map(r.flows.map((f) => [f.name, f]));
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        cursor="pointer"
        onClick={toggle}
        data-testid="matrix-row"
      >
        <Td whiteSpace="nowrap">
          <Box as="button" textAlign="left" aria-expanded={open} fontWeight="600">
            {r.title}
          </Box>
        </Td>
        {flows.map((f) => {
          const x = by.get(f);
          return (
            <Td
              key={f}
              whiteSpace="nowrap"
              borderLeft="1px solid"
              borderColor="line"
              title={x?.cause}
              {...styleOf(x)}
            >
              {cellWords(x)}
            </Td>
          );
        })}
      </Box>
      {open && (
        <tr>
          <Td {...{ colSpan: flows.length + 1 }} bg="panel">
            <HarmMark harm={r.harm} /> {r.says}
            <FailureDetail of={r} sweep={sweep} />
          </Td>
        </tr>
      )}
    </>
  );
}
