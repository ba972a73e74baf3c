import { Box } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef } from 'react';
import type { Difference } from '../../shared/api/client';
import { Mono, Quiet } from '../../shared/parts/parts';
import { GridHead, Scroll } from '../../shared/parts/table';
import { tone } from './rows';

const columns = '92px 110px minmax(150px, 1.1fr) minmax(0, 2fr) minmax(0, 2fr)';

/** Differences, one per row: before and after side by side. */
export function Rows({
  rows,
  label,
  choose,
}: {
  rows: Difference[];
  label: string;
  choose: (r: Difference) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 52,
    overscan: 10,
  });
  return (
    <Scroll label={label} ref={box} flex={1} minH="160px">
      <Box role="table" aria-label={label} minW="760px">
        <GridHead columns={columns}>
          {['what', 'whose', 'of', 'before', 'after'].map((h) => (
            <Box role="columnheader" key={h} px={3} py={2}>
              {h}
            </Box>
          ))}
        </GridHead>
        <Box h={`${virtual.getTotalSize()}px`} position="relative">
          {virtual.getVirtualItems().map((v) => {
            const r = rows[v.index];
            if (!r) return null;
            return (
              <Box
                key={v.key}
                role="row"
                ref={virtual.measureElement}
                data-index={v.index}
                position="absolute"
                top={0}
                left={0}
                right={0}
                transform={`translateY(${v.start}px)`}
                display="grid"
                gridTemplateColumns={columns}
                borderBottom="1px solid"
                borderColor="line"
                cursor="pointer"
                _hover={{ bg: 'paper' }}
                onClick={() => choose(r)}
              >
                <Cell color={tone(r)} fontWeight="650">
                  {r.kind}
                  {r.weight !== 'different' && (
                    <Quiet display="block" fontSize="11px">
                      {r.weight}
                    </Quiet>
                  )}
                </Cell>
                <Cell>
                  <b>{r.device}</b>
                  {r.other && r.other !== r.device && (
                    <Quiet display="block" fontSize="11.5px">
                      {r.section === 'sent' ? 'to ' : r.section === 'received' ? 'from ' : ''}
                      {r.other}
                      {r.outside ? ', another AS' : ''}
                    </Quiet>
                  )}
                </Cell>
                <Cell>
                  <Mono>{r.subject}</Mono>
                </Cell>
                <Cell color={r.before ? undefined : 'quiet'}>{r.before || 'not there'}</Cell>
                <Cell color={r.after ? undefined : 'quiet'}>{r.after || 'gone'}</Cell>
              </Box>
            );
          })}
        </Box>
      </Box>
    </Scroll>
  );
}

const Cell = (p: React.ComponentProps<typeof Box>) => (
  <Box role="cell" px={3} py="6px" overflowWrap="anywhere" {...p} />
);
