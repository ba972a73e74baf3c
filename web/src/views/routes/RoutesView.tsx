import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef, useState } from 'react';
import { type RouteRow } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { useFocus, instanceOf } from '../../shared/focus/focus';
import { csv, save } from '../../shared/parts/csv';
import { Choice, Count, Empty, Mono, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { GridHead, Scroll } from '../../shared/parts/table';
import { Takes, takeRows } from './Takes';
import { RouteCell } from './RouteCell';
import { Story } from './Story';
import { matches } from './match';
import { SummaryHelper } from './SummaryHelper';

const sources = ['all', 'connected', 'static', 'ospf', 'bgp', 'taken'] as const;

/** One row per prefix, one column per router: where it goes, and from which source. */
export function RoutesView() {
  const { id, focus, set } = useFocus();
  const data = useQuery(ask.routes(id, focus.when));
  const [source, setSource] = useState<(typeof sources)[number]>('all');
  const takes = useQuery(ask.takes(id, focus.when));
  const [crossing, setCrossing] = useState(false);
  const [open, setOpen] = useState<{ prefix: string; device: string }>();
  const [picked, setPicked] = useState<string[]>([]);
  const [area, setArea] = useState('');
  const map = useQuery(ask.map(id, focus.when));
  const box = useRef<HTMLDivElement>(null);
  const who = instanceOf(focus.who);

  const devices = useMemo(
    () => (data.data?.devices ?? []).filter((d) => !who || d === who || d.startsWith(`${who}/`)),
    [data.data, who],
  );
  const rows = useMemo(
    () =>
      (data.data?.rows ?? []).filter(
        (r) =>
          matches(r.prefix, focus.to) &&
          devices.some((d) => {
            const c = r.cells[d];
            return c !== undefined && (source === 'all' || c.source === source);
          }),
      ),
    [data.data, devices, focus.to, source],
  );
  // The compiler leaves this component alone, as it should: the list is redrawn as it scrolls.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 44,
    overscan: 12,
    getItemKey: (i) => rows[i]?.prefix ?? i,
  });
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the routes" />;
  if (data.data.rows.length === 0)
    return <Empty title="No routes">No router of this lab has a port with an address that is up.</Empty>;
  const several = (takes.data?.length ?? 0) > 0;
  const shownCrossing = crossing && several;
  const items = virtual.getVirtualItems();
  const areas = [...new Set(map.data?.devices.flatMap((d) => d.areas))].sort();
  const columns = `190px repeat(${devices.length}, minmax(150px, 1fr))`;
  const width = 190 + devices.length * 150;
  return (
    <Flex direction="column" h="full" p={4} minH={0}>
      <Flex gap={6} mb={3} align="center" wrap="wrap">
        <Count n={rows.length} what="prefixes" />
        <Count n={rows.reduce((n, r) => n + devices.filter((d) => r.cells[d]).length, 0)} what="routes" />
        <Box flex={1} />
        <Flex gap={2} wrap="wrap">
          {sources
            .filter((s) => s !== 'taken' || several)
            .map((s) => (
              <Choice
                key={s}
                on={source === s && !shownCrossing}
                onClick={() => {
                  setSource(s);
                  setCrossing(false);
                }}
              >
                {s === 'all' ? 'All sources' : s === 'ospf' || s === 'bgp' ? s.toUpperCase() : s}
              </Choice>
            ))}
          {several && (
            <Choice on={shownCrossing} onClick={() => setCrossing(!crossing)}>
              What crosses
            </Choice>
          )}
        </Flex>
        <Plain
          size="xs"
          h="26px"
          onClick={() =>
            shownCrossing
              ? save('crossings.csv', 'text/csv', csv(takeRows(takes.data ?? [])))
              : save('routes.csv', 'text/csv', csv(toRows(rows, devices)))
          }
        >
          CSV
        </Plain>
      </Flex>
      <Flex gap={3} mb={3} align="center" color="quiet" fontSize="12px">
        <span>One prefix for several: mark rows, or choose an area whose networks are to be joined.</span>
        <chakra.select
          aria-label="Area to summarise"
          value={area}
          onChange={(e) => {
            setArea(e.target.value);
            setPicked([]);
          }}
          bg="panel"
          color="ink"
          border="1px solid"
          borderColor="line"
          borderRadius="md"
          h="24px"
        >
          <option value="">no area</option>
          {areas.map((a) => (
            <option key={a} value={a}>
              area {a}
            </option>
          ))}
        </chakra.select>
      </Flex>
      {(picked.length > 0 || area !== '') && (
        <SummaryHelper
          id={id}
          when={focus.when}
          prefixes={picked}
          area={picked.length > 0 ? '' : area}
          close={() => {
            setPicked([]);
            setArea('');
          }}
        />
      )}
      {shownCrossing && <Takes takes={takes.data ?? []} />}
      <Scroll label="Routes" ref={box} flex={1} minH={0} display={shownCrossing ? 'none' : undefined}>
        <Box role="table" minW={`${width}px`} aria-rowcount={rows.length + 1}>
          <GridHead columns={columns}>
            <Box role="columnheader" px={3} py={2}>
              prefix
            </Box>
            {devices.map((d) => (
              <Box role="columnheader" key={d} px={3} py={2} fontWeight={d === who ? 650 : 500}>
                {d}
              </Box>
            ))}
          </GridHead>
          <Box position="relative" style={{ height: virtual.getTotalSize() }} role="rowgroup">
            {items.map((item) => {
              const row = rows[item.index];
              if (!row) return null;
              const opened = open?.prefix === row.prefix ? open.device : '';
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
                  bg={focus.to === row.prefix ? 'plumSoft' : undefined}
                  style={{ transform: `translateY(${item.start}px)` }}
                >
                  <Box role="row" display="grid" gridTemplateColumns={columns}>
                    <Box role="rowheader" px={3} py="6px">
                      <input
                        type="checkbox"
                        aria-label={`mark ${row.prefix}`}
                        style={{ marginRight: 8 }}
                        checked={picked.includes(row.prefix)}
                        onChange={(e) =>
                          setPicked(
                            e.target.checked
                              ? [...picked, row.prefix]
                              : picked.filter((p) => p !== row.prefix),
                          )
                        }
                      />
                      <chakra.button onClick={() => void set({ to: row.prefix })} textAlign="left">
                        <Mono fontWeight="600">{row.prefix}</Mono>
                      </chakra.button>
                      <Quiet display="block" fontSize="11px">
                        {row.owner}
                      </Quiet>
                    </Box>
                    {devices.map((d) => (
                      <RouteCell
                        key={d}
                        cell={row.cells[d]}
                        dim={source !== 'all' && row.cells[d]?.source !== source}
                        open={opened === d}
                        toggle={() => setOpen(opened === d ? undefined : { prefix: row.prefix, device: d })}
                        label={`${row.prefix} at ${d}`}
                      />
                    ))}
                  </Box>
                  {opened && (
                    <Box px={3} pb={3} position="sticky" left={0} maxW="860px">
                      <Story device={opened} to={row.prefix} />
                    </Box>
                  )}
                </Box>
              );
            })}
          </Box>
        </Box>
        {rows.length === 0 && (
          <Empty title="No prefix like that">Nothing matches the focus and the source that you chose.</Empty>
        )}
      </Scroll>
    </Flex>
  );
}

const toRows = (rows: RouteRow[], devices: string[]) => [
  ['prefix', 'router', 'source', 'kind', 'cost', 'cost 2', 'tag', 'preference', 'next hops'],
  ...rows.flatMap((r) =>
    devices.flatMap((d) => {
      const c = r.cells[d];
      return c
        ? [
            [
              r.prefix,
              d,
              c.origin ?? c.source,
              c.kind ?? '',
              c.metric,
              c.metric2,
              c.tag,
              c.preference,
              c.nextHops.map((h) => `${h.via ?? ''} ${h.port}`.trim()).join('; '),
            ],
          ]
        : [];
    }),
  ),
];
