import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { type AreaDatabase, type LSA } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { csv, save } from '../../shared/parts/csv';
import { Choice, Count, Empty, Mono, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';
import { matches } from '../routes/match';

const nameOf = (a: AreaDatabase) => (a.area === '' ? 'Outside' : `Area ${a.area}`);

/** Each area's link-state database, once for all routers that hold it; who holds another copy is shown with it. */
export function DatabaseView() {
  const { id, focus, set } = useFocus();
  const data = useQuery(ask.database(id, focus.when));
  const [area, setArea] = useState<string>();
  const [type, setType] = useState('');
  const [open, setOpen] = useState('');
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the databases" />;
  const areas = data.data.areas;
  const shown = areas.find((a) => a.area === area) ?? areas[0];
  if (!shown) return <Empty title="No database">OSPF runs on no router of this lab.</Empty>;
  const who = deviceOf(focus.who);
  const mine = shown.lsas.filter(
    (l) =>
      (!who || l.device === who) &&
      (focus.to === '' || focus.to.startsWith('flow ') || l.prefixes.some((p) => matches(p, focus.to))),
  );
  const types = [...new Set(mine.map((l) => l.type))];
  const rows = mine.filter((l) => !types.includes(type) || l.type === type);
  return (
    <Box p={4}>
      <Flex gap={2} mb={3} align="center" wrap="wrap">
        {areas.map((a) => (
          <Choice key={a.area} on={a === shown} onClick={() => setArea(a.area)}>
            {nameOf(a)}
            <Box as="span" opacity={0.75}>
              {a.lsas.length}
            </Box>
          </Choice>
        ))}
        <Box flex={1} />
        <Choice on={!types.includes(type)} onClick={() => setType('')}>
          All types
        </Choice>
        {types.map((t) => (
          <Choice key={t} on={t === type} onClick={() => setType(t)}>
            {t}
          </Choice>
        ))}
        <Plain size="xs" h="26px" onClick={() => save('database.csv', 'text/csv', csv(toRows(shown, rows)))}>
          CSV
        </Plain>
      </Flex>
      <Flex gap={6} mb={3} align="baseline">
        <Count n={rows.length} what="LSAs" />
        <Box color={shown.same ? 'leaf' : 'brick'} fontWeight="600" data-testid="agreement">
          {shown.same
            ? `${plural(shown.routers.length, 'router')} hold the same`
            : `the copies of ${shown.routers.length} routers differ`}
        </Box>
      </Flex>
      <Sheet
        label="Database"
        heads={['type', 'link state ID', 'advertised by', 'says', 'age', 'sequence', 'checksum']}
        below={
          rows.length === 0 && (
            <Empty title="No LSA like that">None of this area has to do with the focus.</Empty>
          )
        }
      >
        <tbody>
          {rows.map((l) => {
            const key = `${l.type} ${l.id} ${l.router}`;
            return (
              <Row
                key={key}
                lsa={l}
                open={open === key}
                toggle={() => setOpen(open === key ? '' : key)}
                focus={(to) => void set({ to })}
              />
            );
          })}
        </tbody>
      </Sheet>
      <Box mt={2} color="quiet" fontSize="12px">
        A prefix in focus shows the LSAs that announce it; a router in focus those that it advertises.
      </Box>
    </Box>
  );
}

interface RowProps {
  lsa: LSA;
  open: boolean;
  toggle: () => void;
  focus: (to: string) => void;
}

function Row({ lsa: l, open, toggle, focus }: RowProps) {
  const differs = l.missing.length > 0 || l.others.length > 0;
  return (
    <>
      <Box
        as="tr"
        borderTop="1px solid"
        borderColor="line"
        bg={differs ? 'brickFaint' : open ? 'chosen' : undefined}
      >
        <Td whiteSpace="nowrap">
          <chakra.button onClick={toggle} aria-expanded={open} fontWeight="600" textAlign="left">
            {l.type}
          </chakra.button>
        </Td>
        <Td>
          <Mono>{l.id}</Mono>
        </Td>
        <Td whiteSpace="nowrap">
          {l.device ? <b>{l.device}</b> : <Quiet>nobody now</Quiet>} <Mono color="quiet">{l.router}</Mono>
        </Td>
        <Td>
          {l.says}
          {l.missing.length > 0 && <Box color="brick">not held by {l.missing.join(', ')}</Box>}
          {l.others.map((o) => (
            <Box key={o.sequence + o.checksum} color="brick">
              {o.holders.join(', ')} hold another copy: sequence {o.sequence}, checksum {o.checksum}
            </Box>
          ))}
        </Td>
        <Td whiteSpace="nowrap" textAlign="right">
          {l.age >= 3600 ? <Box color="ochre">MaxAge</Box> : `${l.age} s`}
        </Td>
        <Td>
          <Mono>{l.sequence}</Mono>
        </Td>
        <Td>
          <Mono>{l.checksum}</Mono>
        </Td>
      </Box>
      {open && (
        <Box as="tr" bg="chosen">
          <Box as="td" px={3} pb={3} {...{ colSpan: 7 }}>
            <Box
              display="grid"
              gridTemplateColumns="150px 1fr"
              gap="2px 12px"
              maxW="760px"
              data-testid="fields"
            >
              <Quiet>options</Quiet>
              <Box>{l.options}</Box>
              <Quiet>length</Quiet>
              <Box>{l.length} bytes</Box>
              {l.fields.map((f, i) => (
                <Box key={i} display="contents">
                  <Quiet>{f.name}</Quiet>
                  <Mono>{f.value}</Mono>
                </Box>
              ))}
            </Box>
            {l.prefixes.length > 0 && (
              <Flex gap={2} mt={2} wrap="wrap" align="center">
                <Quiet>routes by it:</Quiet>
                {l.prefixes.map((p) => (
                  <Plain key={p} size="xs" h="22px" onClick={() => focus(p)}>
                    <Mono>{p}</Mono>
                  </Plain>
                ))}
              </Flex>
            )}
          </Box>
        </Box>
      )}
    </>
  );
}

const toRows = (a: AreaDatabase, rows: LSA[]) => [
  ['area', 'type', 'link state ID', 'router', 'device', 'age', 'sequence', 'checksum', 'says'],
  ...rows.map((l) => [a.area, l.type, l.id, l.router, l.device ?? '', l.age, l.sequence, l.checksum, l.says]),
];
