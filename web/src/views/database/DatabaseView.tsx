import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { type AreaOf, type LSA } from '../../shared/api/client';
import { ask, type DatabaseChosen } from '../../shared/api/questions';
import { useLong } from '../../shared/api/useLong';
import { isAddress } from '../../shared/focus/address';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { LongBodies } from '../../shared/parts/bodies';
import { SaveCsv } from '../../shared/parts/SaveCsv';
import { useDelayed } from '../../shared/parts/delayed';
import { Choice, Count, Empty, Line, Mono, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';

const nameOf = (a: AreaOf) => (a.area === 'outside' ? 'Outside' : `Area ${a.area}`);

const rowsOf = (d: { lsas: LSA[] }) => d.lsas;

/** Each area's link-state database, once for all routers that hold it; who holds another copy is shown with it. */
export function DatabaseView() {
  const { id, focus, set } = useFocus();
  const [area, setArea] = useState<AreaOf>();
  const [type, setType] = useState('');
  const [open, setOpen] = useState('');
  const [words, setWords] = useState('');
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const find = useDelayed(words.trim(), 200);
  const who = deviceOf(focus.who);
  const shown: DatabaseChosen = {
    ...(area && { area: area.area, ...(area.of && { of: area.of }) }),
    ...(type && { type }),
    ...(who && { device: who }),
    ...(isAddress(focus.to) && { to: focus.to }),
    ...(find && { find }),
  };
  const part = (offset: number, limit: number) => ask.database(id, focus.when, { ...shown, offset, limit });
  const { first: data, long } = useLong(part, rowsOf);
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data) return <Waiting what="reading the databases" />;
  const { areas, types, lsas } = data.data;
  const here = areas[data.data.shown];
  if (!here) return <Empty title="No database">OSPF runs on no router of this lab.</Empty>;
  // A name in focus is no network.
  const named = focus.to !== '' && !focus.to.startsWith('flow ') && !isAddress(focus.to);
  const found = named ? 0 : data.data.found;
  const rowOf = (l: LSA) => {
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
  };
  return (
    <Box p={4} {...(long.large && { h: 'full', minH: 0, display: 'flex', flexDirection: 'column' as const })}>
      <Flex gap={2} mb={3} align="center" wrap="wrap">
        {areas.map((a) => (
          <Choice
            key={`${a.area} ${a.of ?? ''}`}
            on={a === here}
            onClick={() => {
              setArea(a);
              setType('');
            }}
          >
            {nameOf(a)}
            {a.of && ` of ${a.of}`}
            <Box as="span" opacity={0.75}>
              {a.lsas}
            </Box>
          </Choice>
        ))}
        <Box flex={1} />
        <Choice on={type === ''} onClick={() => setType('')}>
          All types
        </Choice>
        {[...new Set(type ? [...types, type] : types)].map((t) => (
          <Choice key={t} on={t === type} onClick={() => setType(t)}>
            {t}
          </Choice>
        ))}
      </Flex>
      <Flex gap={4} mb={3} align="center">
        <Count n={found} what="LSAs" />
        <Box color={here.same ? 'leaf' : 'brick'} fontWeight="600" data-testid="agreement">
          {here.same
            ? `${plural(here.routers.length, 'router')} hold the same`
            : `the copies of ${here.routers.length} routers differ`}
        </Box>
        <Box flex={1} />
        <Line
          flex="0 0 165px"
          h="26px"
          value={words}
          placeholder="find: quarry, 10.255.0.3"
          aria-label="Find LSAs"
          onChange={(e) => setWords(e.target.value)}
        />
        <SaveCsv
          name="database.csv"
          all={ask.database(id, focus.when, shown)}
          rows={(d) => toRows(here, d.lsas)}
          disabled={found === 0}
        />
      </Flex>
      <Sheet
        label="Database"
        ref={setBox}
        {...(long.large && { flex: 1, minH: 0 })}
        heads={['type', 'link state ID', 'advertised by', 'says', 'age', 'sequence', 'checksum']}
        below={
          found === 0 && (
            <Empty title="No LSA like that">
              {find ? 'None of this area has these words.' : 'None of this area has to do with the focus.'}
            </Empty>
          )
        }
      >
        {!named && (
          <LongBodies long={long} all={<tbody>{lsas.map(rowOf)}</tbody>} box={box} height={34} columns={7}>
            {rowOf}
          </LongBodies>
        )}
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

const toRows = (a: AreaOf, rows: LSA[]) => [
  ['area', 'type', 'link state ID', 'router', 'device', 'age', 'sequence', 'checksum', 'says'],
  ...rows.map((l) => [a.area, l.type, l.id, l.router, l.device ?? '', l.age, l.sequence, l.checksum, l.says]),
];
