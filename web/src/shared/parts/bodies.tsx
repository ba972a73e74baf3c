import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, type ReactNode } from 'react';

/** With more bodies than this, a table draws those that are in sight only. */
export const manyBodies = 150;

interface Props {
  /** What scrolls. */
  box: HTMLDivElement | null;
  keys: string[];
  /** How high a body is before it has been seen, in pixels. */
  height: number;
  /** The rows of one body. */
  children: (index: number) => ReactNode;
  /** The body to begin at; -1 for the first. */
  at: number;
}

/** The bodies of a long table: those in sight, and room for the others. */
export function Bodies({ box, keys, height, children, at }: Props) {
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: keys.length,
    getScrollElement: () => box,
    estimateSize: () => height,
    overscan: 6,
    getItemKey: (i) => keys[i] ?? i,
  });
  const begun = useRef(false);
  useEffect(() => {
    if (begun.current || !box) return;
    begun.current = true;
    if (at > 0) virtual.scrollToIndex(at, { align: 'center' });
  }, [virtual, at, box]);
  const list = virtual.getVirtualItems();
  const above = list[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (list.at(-1)?.end ?? 0);
  return (
    <>
      <Room height={above} />
      {list.map((item) => (
        <tbody key={item.key} data-index={item.index} ref={virtual.measureElement}>
          {children(item.index)}
        </tbody>
      ))}
      <Room height={below} />
    </>
  );
}

const Room = ({ height }: { height: number }) => (
  <tbody aria-hidden>
    <tr>
      <td style={{ height, padding: 0 }} />
    </tr>
  </tbody>
);
