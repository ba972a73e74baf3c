import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef, useState } from 'react';
import { type TableRow } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { csv, save } from '../../shared/parts/csv';
import { Choice, Count, Empty, Mono, Pick, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { GridHead, Scroll } from '../../shared/parts/table';
import { matches } from '../routes/match';
import { details, groupOf, groupings, pathWords, prefixSet, type Grouping } from './words';

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
  const data = useQuery(ask.pathTable(id, when, device, peer));
  const [way, setWay] = useState<'in' | 'out'>('in');
  const [filter, setFilter] = useState('');
  const [by, setBy] = useState<Grouping>('nothing');
  const [picked, setPicked] = useState<string[]>([]);
  const box = useRef<HTMLDivElement>(null);
  const all = useMemo(
    () => (way === 'out' && peer ? (data.data?.out ?? []) : (data.data?.in ?? [])),
    [data.data, way, peer],
  );
  const rows = useMemo(() => arrange(all, filter, by), [all, filter, by]);
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 44,
    overscan: 12,
  });
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the tables" />;
  const stages = [...new Set(all.map((r) => r.stage))];
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
        {stages.map((s) => (
          <Count
            key={s}
            n={all.filter((r) => r.stage === s).length}
            what={words[s]}
            tone={s === 'refused' ? 'brick' : 'ink'}
          />
        ))}
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
        <Plain size="xs" h="28px" onClick={() => save('paths.csv', 'text/csv', csv(toRows(all)))}>
          CSV
        </Plain>
      </Flex>
      {picked.length > 0 && <Picked prefixes={picked} close={() => setPicked([])} />}
      {data.data.omitted > 0 && (
        <Box color="ochre" mb={2}>
          {data.data.omitted} more prefixes are not shown: put a prefix into the focus to see one of them.
        </Box>
      )}
      <Scroll label="Path table" ref={box} flex={1} minH={0}>
        <Box role="table" minW="760px" aria-rowcount={rows.length + 1}>
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
            {virtual.getVirtualItems().map((item) => {
              const row = rows[item.index];
              if (!row) return null;
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
                  {typeof row === 'string' ? (
                    <Box px={3} py={2} bg="chosen" fontWeight="650" fontSize="12px" role="row">
                      <span role="cell">{row}</span>
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
        {rows.length === 0 && (
          <Empty title="Nothing here">
            {all.length === 0 ? 'This table is empty.' : 'Nothing matches the filter.'}
          </Empty>
        )}
      </Scroll>
    </>
  );
}

/** Rows that pass the filter, each group under its heading. */
function arrange(all: TableRow[], filter: string, by: Grouping): (TableRow | string)[] {
  const wanted = filter.trim().toLowerCase();
  const rows = all.filter(
    (r) =>
      wanted === '' ||
      (/^[\d./]+$/.test(wanted) && wanted.includes('.') ? matches(r.prefix, wanted) : false) ||
      `${r.prefix} ${r.path?.asPath ?? ''} ${r.nextHop ?? ''} ${r.why} ${r.from ?? ''} ${r.path?.communities.join(' ') ?? ''}`
        .toLowerCase()
        .includes(wanted),
  );
  if (by === 'nothing') return rows;
  const groups = new Map<string, TableRow[]>();
  for (const r of rows) {
    const g = groupOf(by, r);
    groups.set(g, [...(groups.get(g) ?? []), r]);
  }
  return [...groups.entries()]
    .sort((a, b) => b[1].length - a[1].length)
    .flatMap(([g, list]) => [`${g}: ${list.length} ${list.length === 1 ? 'prefix' : 'prefixes'}`, ...list]);
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

const toRows = (rows: TableRow[]) => [
  [
    'prefix',
    'outcome',
    'why',
    'from',
    'AS path',
    'next hop',
    'local preference',
    'MED',
    'origin',
    'communities',
  ],
  ...rows.map((r) => [
    r.prefix,
    words[r.stage],
    r.why,
    r.from ?? '',
    r.path?.asPath ?? '',
    r.path?.nextHop ?? '',
    r.path?.localPref ?? '',
    r.path?.med ?? '',
    r.path?.origin ?? '',
    r.path?.communities.join(' ') ?? '',
  ]),
];
