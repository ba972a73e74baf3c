import { Box } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef, useState, type Dispatch, type ReactNode, type SetStateAction } from 'react';
import { GridHead, Scroll } from '../../shared/parts/table';
import { cellLooks, rowLooks } from './looks';
import { Row } from './Row';
import { pageColumns, useRoutes, type RoutesShown } from './useRoutes';

/** The width of a column, and of that of the prefixes, in pixels. */
const columnWidth = 150;
const firstWidth = 190;

interface Props {
  id: string;
  when: string;
  shown: RoutesShown;
  devices: string[];
  /** How many rows there are. */
  total: number;
  who: string;
  source: string;
  /** The focus. */
  to: string;
  hidden: boolean;
  alike: (prefix: string) => void;
  picked: string[];
  pick: Dispatch<SetStateAction<string[]>>;
  /** Below the rows. */
  children: ReactNode;
}

/** The rows and columns that are in sight. It scrolls by itself: what is around it is not drawn again. */
export function RoutesTable(p: Props) {
  const { id, when, shown, devices, total } = p;
  const box = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useState<{ prefix: string; device: string }>();
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: total,
    getScrollElement: () => box.current,
    estimateSize: () => 44,
    overscan: 6,
  });
  // Few columns share the room; of many, those in sight are drawn.
  const wide = devices.length > pageColumns;
  const across = useVirtualizer({
    count: wide ? devices.length : 0,
    horizontal: true,
    getScrollElement: () => box.current,
    estimateSize: () => columnWidth,
    paddingStart: firstWidth,
    overscan: 2,
  });
  const drawn = across.getVirtualItems();
  const from = wide ? (drawn[0]?.index ?? 0) : 0;
  const until = wide ? (drawn.at(-1)?.index ?? -1) : devices.length - 1;
  const inSight = useMemo(() => devices.slice(from, until + 1), [devices, from, until]);
  const list = virtual.getVirtualItems();
  const rows = useRoutes(
    id,
    when,
    shown,
    { first: list[0]?.index ?? 0, last: list.at(-1)?.index ?? -1 },
    { first: from, last: until },
  );
  const before = from * columnWidth;
  const columns = wide
    ? `${firstWidth}px ${before}px repeat(${inSight.length}, ${columnWidth}px)`
    : `${firstWidth}px repeat(${devices.length}, minmax(${columnWidth}px, 1fr))`;
  const width = firstWidth + devices.length * columnWidth;
  return (
    <Scroll label="Routes" ref={box} flex={1} minH={0} display={p.hidden ? 'none' : undefined} css={looks}>
      <Box role="table" minW={`${width}px`} aria-rowcount={total + 1} aria-colcount={devices.length + 1}>
        <GridHead columns={columns}>
          <Box role="columnheader" px={3} py={2} position="sticky" left={0} bg="panel" zIndex={1}>
            prefix
          </Box>
          {wide && <span />}
          {inSight.map((d, i) => (
            <div
              role="columnheader"
              aria-colindex={from + i + 2}
              key={d}
              className="head"
              data-focused={d === p.who}
            >
              {d}
            </div>
          ))}
        </GridHead>
        <Box position="relative" style={{ height: virtual.getTotalSize() }} role="rowgroup">
          {list.map((item) => {
            const row = rows.get(item.index);
            if (!row) return null;
            const opened = open?.prefix === row.prefix ? open.device : '';
            return (
              <div
                key={item.key}
                ref={virtual.measureElement}
                data-index={item.index}
                className="place"
                style={{ transform: `translateY(${item.start}px)` }}
              >
                <Row
                  row={row}
                  columns={columns}
                  devices={inSight}
                  wide={wide}
                  source={p.source}
                  open={opened}
                  setOpen={setOpen}
                  focused={p.to === row.prefix}
                  picked={p.picked.includes(row.prefix)}
                  pick={p.pick}
                  alike={p.alike}
                />
              </div>
            );
          })}
        </Box>
      </Box>
      {p.children}
    </Scroll>
  );
}

const looks = { ...rowLooks, ...cellLooks };
