import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, type ReactNode } from 'react';
import type { Long, Range } from './pages';

/** With more bodies than this, a table draws those that are in sight only. */
export const manyBodies = 150;

interface Props {
  /** What scrolls. */
  box: HTMLDivElement | null;
  /** The bodies' keys; or how many there are, if they have none. */
  keys?: string[];
  count?: number;
  /** How high a body is before it has been seen, in pixels. */
  height: number;
  /** The rows of one body. */
  children: (index: number) => ReactNode;
  /** The body to begin at, and to show when it becomes another; -1 for none. */
  at: number;
  /** Is told which are in sight. */
  sees?: (sight: Range) => void;
}

/** The bodies of a long table: those in sight, and room for the others. */
export function Bodies({ box, keys, count, height, children, at, sees }: Props) {
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: keys?.length ?? count ?? 0,
    getScrollElement: () => box,
    estimateSize: () => height,
    overscan: 6,
    getItemKey: (i) => keys?.[i] ?? i,
  });
  const begun = useRef(false);
  useEffect(() => {
    if (!box) return;
    if (at >= 0) virtual.scrollToIndex(at, { align: begun.current ? 'auto' : 'center' });
    begun.current = true;
  }, [virtual, at, box]);
  const list = virtual.getVirtualItems();
  const first = list[0]?.index ?? 0;
  const last = list.at(-1)?.index ?? -1;
  useEffect(() => sees?.({ first, last }), [sees, first, last]);
  const above = list[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (list.at(-1)?.end ?? 0);
  return (
    <>
      <Gap height={above} />
      {list.map((item) => (
        <tbody key={item.key} data-index={item.index} ref={virtual.measureElement}>
          {children(item.index)}
        </tbody>
      ))}
      <Gap height={below} />
    </>
  );
}

const Gap = ({ height }: { height: number }) => (
  <tbody aria-hidden>
    <tr>
      <td style={{ height, padding: 0 }} />
    </tr>
  </tbody>
);

/** A row that is on its way. */
const Room = ({ columns, height }: { columns: number; height: number }) => (
  <tr>
    <td colSpan={columns} style={{ height }} />
  </tr>
);

/** The bodies of a list that may be long: all of them, or those in sight. */
export function LongBodies<R>({
  long,
  all,
  box,
  height,
  columns,
  children,
}: {
  long: Long<R>;
  /** The rows, if they are not many. */
  all: ReactNode;
  box: HTMLDivElement | null;
  height: number;
  columns: number;
  children: (row: R) => ReactNode;
}) {
  if (!long.large) return all;
  return (
    <Bodies box={box} count={long.found} height={height} at={-1} sees={long.sees}>
      {(i) => {
        const row = long.row(i);
        return row === undefined ? <Room columns={columns} height={height} /> : children(row);
      }}
    </Bodies>
  );
}
