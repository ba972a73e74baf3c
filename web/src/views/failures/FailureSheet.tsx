import { useState, type ReactNode } from 'react';
import type { SweepFound, Swept } from '../../shared/api/client';
import { LongBodies } from '../../shared/parts/bodies';
import type { Long } from '../../shared/parts/pages';
import { Empty } from '../../shared/parts/parts';
import { Sheet } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';

interface Props {
  label: string;
  heads: string[];
  found: SweepFound;
  long: Long<Swept>;
  /** How high a row is, about. */
  height: number;
  /** The rows of a failure, of which one is open at a time. */
  children: (r: Swept, open: boolean, toggle: () => void) => ReactNode;
}

/** A table of failures, one of them open. */
export function FailureSheet({ label, heads, found, long, height, children }: Props) {
  const [open, setOpen] = useState('');
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const row = (r: Swept) => children(r, open === r.title, () => setOpen(open === r.title ? '' : r.title));
  return (
    <Sheet
      label={label}
      ref={setBox}
      flex={1}
      minH={0}
      heads={heads}
      below={found.found === 0 && <NoneLikeThat found={found} />}
    >
      <LongBodies
        long={long}
        all={<tbody>{found.failures.map(row)}</tbody>}
        box={box}
        height={height}
        columns={heads.length}
      >
        {row}
      </LongBodies>
    </Sheet>
  );
}

const NoneLikeThat = ({ found }: { found: SweepFound }) => (
  <Empty title={found.overview.failures === 0 ? 'Nothing found yet' : 'No failure like that'}>
    {found.overview.failures === 0
      ? found.sweep.state === 'done'
        ? 'The network has nothing of these kinds that can fail.'
        : 'The first results come in a moment.'
      : `${plural(found.overview.failures, 'failure')} tried, none of them matches.`}
  </Empty>
);
