import { Box, Flex, chakra } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { type TableRow } from '../../shared/api/client';
import { useFocus } from '../../shared/focus/focus';
import { fetchFile } from '../../shared/parts/csv';
import { useDelayed } from '../../shared/parts/delayed';
import { Choice, Count, Empty, Mono, Pick, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { GridHead, Scroll } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';
import { useFirst, useTable, type TableShown } from './useTable';
import { details, groupings, pathWords, prefixSet, type Grouping } from './words';

interface Props {
  id: string;
  when: string;
  device: string;
  peer: string;
}

const tones: Record<TableRow['stage'], string> = {
  chosen: 'leaf',
  accepted: 'ochre',
  refused: 'brick',
  sent: 'leaf',
  withheld: 'quiet',
};
const words: Record<TableRow['stage'], string> = {
  chosen: 'chosen',
  accepted: 'not chosen',
  refused: 'not accepted',
  sent: 'sent',
  withheld: 'not sent',
};

/** The tables of a session, in and out, or the best paths of a router. */
export function Tables({ id, when, device, peer }: Props) {
  const { set } = useFocus();
  const [way, setWay] = useState<'in' | 'out'>('in');
  const [filter, setFilter] = useState('');
  const [by, setBy] = useState<Grouping>('nothing');
  const [picked, setPicked] = useState<string[]>([]);
  const box = useRef<HTMLDivElement>(null);
  const find = useDelayed(filter.trim(), 200);
  const shown = {
    device,
    peer,
    way: peer ? way : ('in' as const),
    find,
    by: by === 'nothing' ? '' : by,
  };
  const data = useFirst(id, when, shown);
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: data.data?.lines ?? 0,
    getScrollElement: () => box.current,
    estimateSize: () => 44,
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const lines = useTable(id, when, shown, {
    first: items[0]?.index ?? 0,
    last: items.at(-1)?.index ?? -1,
  });
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the tables" />;
  const all = data.data.stages.reduce((n, x) => n + x.rows, 0);
  const columns = peer
    ? '28px 150px minmax(120px, 170px) minmax(200px, 1fr) 230px'
    : '28px 150px minmax(120px, 170px) minmax(200px, 1fr) 150px 110px';
  return (
    <>
      <Flex gap={4} mb={3} align="center" wrap="wrap" flexShrink={0}>
        {peer && (
          <>
            <Choice on={way === 'in'} onClick={() => setWay('in')}>
              Received from {data.data.with}
            </Choice>
            <Choice on={way === 'out'} onClick={() => setWay('out')}>
              Sent to {data.data.with}
            </Choice>
          </>
        )}
        {data.data.stages.map((s) => (
          <Count
            key={s.stage}
            n={s.rows}
            what={words[s.stage]}
            tone={s.stage === 'refused' ? 'brick' : 'ink'}
          />
        ))}
        {data.data.found < all && <Quiet>{data.data.found} match</Quiet>}
        <Box flex={1} />
        <chakra.input
          aria-label="Filter"
          placeholder="prefix, AS, next hop, reason"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          bg="panel"
          border="1px solid"
          borderColor="line"
          borderRadius="md"
          h="28px"
          px={2}
          w="210px"
          fontSize="13px"
        />
        <Pick
          label="grouped by"
          value={by}
          onChange={(v) => setBy(v as Grouping)}
          options={groupings.map((g) => [g, g] as const)}
        />
        <Plain size="xs" h="28px" onClick={() => fetchFile('paths.csv', csvOf(id, when, shown))}>
          CSV
        </Plain>
      </Flex>
      {picked.length > 0 && <Picked prefixes={picked} close={() => setPicked([])} />}
      <Scroll label="Path table" ref={box} flex={1} minH={0}>
        <Box role="table" minW="760px" aria-rowcount={data.data.lines + 1}>
          <GridHead columns={columns}>
            {[
              '',
              'prefix',
              'AS path',
              'attributes',
              ...(peer ? ['what became of it'] : ['best from', 'paths, sent to']),
            ].map((h) => (
              <Box role="columnheader" key={h} px={3} py={2}>
                {h}
              </Box>
            ))}
          </GridHead>
          <Box position="relative" style={{ height: virtual.getTotalSize() }} role="rowgroup">
            {items.map((item) => {
              const line = lines.get(item.index);
              const row = line?.row;
              return (
                <Box
                  key={item.key}
                  ref={virtual.measureElement}
                  data-index={item.index}
                  position="absolute"
                  top={0}
                  left={0}
                  w="full"
                  borderBottom="1px solid"
                  borderColor="line"
                  style={{ transform: `translateY(${item.start}px)` }}
                >
                  {!row ? (
                    <Box
                      px={3}
                      py={2}
                      minH="43px"
                      bg={line ? 'chosen' : undefined}
                      fontWeight="650"
                      fontSize="12px"
                      role="row"
                    >
                      <span role="cell">
                        {line?.group && `${line.group}: ${plural(line.rows ?? 0, 'prefix', 'prefixes')}`}
                      </span>
                    </Box>
                  ) : (
                    <Box role="row" display="grid" gridTemplateColumns={columns} py="6px">
                      <Box role="cell" pl={3}>
                        <input
                          type="checkbox"
                          aria-label={`mark ${row.prefix}`}
                          checked={picked.includes(row.prefix)}
                          onChange={(e) =>
                            setPicked(
                              e.target.checked
                                ? [...picked, row.prefix]
                                : picked.filter((p) => p !== row.prefix),
                            )
                          }
                        />
                      </Box>
                      <Box role="rowheader" px={3}>
                        <chakra.button onClick={() => void set({ to: row.prefix })} title="its whole story">
                          <Mono fontWeight="600">{row.prefix}</Mono>
                        </chakra.button>
                      </Box>
                      <Box role="cell" px={3}>
                        <Mono>{pathWords(row.path)}</Mono>
                      </Box>
                      <Box role="cell" px={3} fontSize="12px" color="quiet">
                        {row.path && details(row.path)}
                      </Box>
                      {peer ? (
                        <Box role="cell" px={3} fontSize="12px">
                          <Box as="span" color={tones[row.stage]} fontWeight="650">
                            {words[row.stage]}
                          </Box>
                          {!['sent', 'it is the best'].includes(row.why) && (
                            <Quiet display="block">{row.why}</Quiet>
                          )}
                        </Box>
                      ) : (
                        <>
                          <Box role="cell" px={3}>
                            {row.from}
                            {row.stage === 'refused' && (
                              <Box color="brick" fontSize="12px">
                                not used: {row.why}
                              </Box>
                            )}
                          </Box>
                          <Box role="cell" px={3} color="quiet">
                            {row.paths}, {row.sentTo}
                          </Box>
                        </>
                      )}
                    </Box>
                  )}
                </Box>
              );
            })}
          </Box>
        </Box>
        {data.data.lines === 0 && (
          <Empty title="Nothing here">
            {all === 0 ? 'This table is empty.' : 'Nothing matches the filter.'}
          </Empty>
        )}
      </Scroll>
    </>
  );
}

/** Marked rows as a prefix set, ready to be pasted into the lab's text. */
function Picked({ prefixes, close }: { prefixes: string[]; close: () => void }) {
  const text = prefixSet('picked', prefixes);
  return (
    <Flex gap={4} mb={3} p={3} bg="plumSoft" borderRadius="md" align="start" flexShrink={0}>
      <chakra.pre fontFamily="mono" fontSize="12px" maxH="120px" overflow="auto" flex={1} m={0}>
        {text}
      </chakra.pre>
      <Plain size="xs" h="26px" onClick={() => void navigator.clipboard.writeText(text)}>
        Copy
      </Plain>
      <Plain size="xs" h="26px" onClick={close}>
        Close
      </Plain>
    </Flex>
  );
}

const csvOf = (id: string, when: string, { device, peer, way, find }: TableShown) =>
  `/api/labs/${id}/path-table/csv?${new URLSearchParams({ at: when, device, peer, way, find })}`;
