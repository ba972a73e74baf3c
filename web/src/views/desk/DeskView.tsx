import { Box, Flex, chakra } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ask } from '../../shared/api/questions';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { useKeys } from '../../shared/parts/keys';
import { Empty, Key, Mono, Pick, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { DeskText } from './DeskText';
import { Live } from './Live';

interface Props {
  past: boolean;
  /** Goes to a line of the whole text. */
  goto: (line: number) => void;
}

/** One router or host: what the text says of it beside what it does; a second one beside it on demand. */
export default function DeskView({ past, goto }: Props) {
  const { id, focus, set } = useFocus();
  const map = useQuery(ask.map(id, focus.when));
  const [beside, setBeside] = useState('');
  const devices = map.data?.devices.map((d) => d.name) ?? [];
  const focused = deviceOf(focus.who);
  const who = devices.includes(focused) ? focused : (devices[0] ?? '');
  const at = devices.indexOf(who);
  const step = (by: number) => {
    const next = devices[(at + by + devices.length) % devices.length];
    if (next) void set({ who: next });
  };
  useKeys({ ',': () => step(-1), '.': () => step(1) });
  if (map.error) return <Trouble error={map.error} retry={() => void map.refetch()} />;
  if (!map.data) return <Waiting what="reading the lab" />;
  if (who === '') return <Empty title="No routers yet">Add one on the map, or write it into the text.</Empty>;
  const shown = beside && beside !== who && devices.includes(beside) ? [who, beside] : [who];
  const before = devices[(at - 1 + devices.length) % devices.length] ?? '';
  const after = devices[(at + 1) % devices.length] ?? '';
  return (
    <Flex direction="column" h="full" minH={0}>
      <Flex
        px={4}
        py={2}
        gap={4}
        align="center"
        bg="paper"
        borderBottom="1px solid"
        borderColor="line"
        whiteSpace="nowrap"
      >
        <chakra.button color="quiet" onClick={() => step(-1)} aria-label={`Previous: ${before}`}>
          ‹ {before} <Key>,</Key>
        </chakra.button>
        <Box flex={1} />
        <Pick
          label="beside it"
          value={shown[1] ?? ''}
          onChange={setBeside}
          options={[
            ['', 'nothing'],
            ...devices.filter((d) => d !== who).map((d): [string, string] => [d, d]),
          ]}
        />
        <chakra.button color="quiet" onClick={() => step(1)} aria-label={`Next: ${after}`}>
          <Key>.</Key> {after} ›
        </chakra.button>
      </Flex>
      <Flex flex={1} minH={0}>
        {shown.map((name) => (
          <OneDesk key={name} name={name} narrow={shown.length > 1} past={past} goto={goto} />
        ))}
      </Flex>
    </Flex>
  );
}

/** The text and the state of one device: beside each other, or if there are two, one above the other. */
function OneDesk({ name, narrow, past, goto }: Props & { name: string; narrow: boolean }) {
  const { id, focus } = useFocus();
  const map = useQuery(ask.map(id, focus.when));
  const ports = useQuery(ask.ports(id, focus.when, { device: [name] }));
  const device = map.data?.devices.find((d) => d.name === name);
  const processes = (ports.data?.processes ?? []).filter(
    (p) => p.device === name || (p.running && p.device.startsWith(`${name}/`)),
  );
  return (
    <Flex
      as="section"
      aria-label={`Desk of ${name}`}
      direction="column"
      flex={1}
      minW={0}
      minH={0}
      borderRight="1px solid"
      borderColor="line"
    >
      <Flex px={4} py={2} gap={3} align="baseline" wrap="wrap" bg="panel">
        <Box as="h2" fontSize="17px" fontWeight="700">
          {name}
        </Box>
        {device?.routerId && <Mono color="quiet">{device.routerId}</Mono>}
        <Quiet>
          {[
            device?.kind === 'host' && 'host',
            device?.enabled === false && 'disabled',
            device?.as !== undefined && `AS ${device.as}${device.reflector ? ', reflector' : ''}`,
            ...processes.map(
              (p) =>
                (p.device === name ? '' : `in ${p.device.slice(name.length + 1)} `) +
                (p.running
                  ? `OSPF in area ${p.areas.join(', ')}${p.roles.map((r) => `, ${r}`).join('')}: ${plural(p.full, 'neighbour')} Full, ${plural(p.lsas, 'LSA')}, ${plural(p.spfRuns, 'SPF run')}`
                  : `OSPF does not run: ${p.whyNot ?? ''}`),
            ),
          ]
            .filter(Boolean)
            .join(' · ')}
        </Quiet>
      </Flex>
      <Flex direction={narrow ? 'column' : 'row'} flex={1} minH={0}>
        <Box
          flex={narrow ? '0 0 42%' : '0 0 36%'}
          minW={0}
          minH={0}
          borderRight={narrow ? undefined : '1px solid'}
          borderBottom={narrow ? '1px solid' : undefined}
          borderColor="line"
        >
          <DeskText name={name} goto={goto} />
        </Box>
        <Live name={name} past={past} />
      </Flex>
    </Flex>
  );
}
