import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState, type ReactNode } from 'react';
import type { MapDevice } from '../../shared/api/client';
import { refOf, useFocus } from '../../shared/focus/focus';
import { Aside, Main, Plain, Quiet } from '../../shared/parts/parts';
import { useCursor } from '../../shared/parts/keys';
import { Replies } from './Replies';
import { useProbe } from './useProbe';

interface Props {
  devices: MapDevice[];
  who: string;
  close: () => void;
}

const field = {
  bg: 'raised',
  border: '1px solid',
  borderColor: 'line',
  borderRadius: 'md',
  px: 2,
  h: '30px',
  w: 'full',
};
const mono = { fontFamily: 'mono', fontSize: '12px' };

/** Real packets from any device, and any of its addresses, to any address; in a copy of the network at the moment in focus. */
export function Probe({ devices, who, close }: Props) {
  const { id, focus } = useFocus();
  const cursor = useCursor<HTMLInputElement>();
  const [from, setFrom] = useState(
    who || devices.find((d) => d.kind === 'host')?.name || devices[0]?.name || '',
  );
  const [source, setSource] = useState('');
  const [to, setTo] = useState(() =>
    focus.to && !focus.to.startsWith('flow ')
      ? (focus.to.split('/')[0] ?? '')
      : (devices.filter((d) => d.kind === 'host')[1]?.name ?? ''),
  );
  const [count, setCount] = useState(5);
  const [port, setPort] = useState(0);
  const services = devices.find((d) => d.name === to || d.addresses.includes(to))?.services ?? [];
  const { probed, send, stop } = useProbe(id, focus.when);
  const running = probed?.running === true;
  // A device, and each of its routing instances beside main.
  const ends = devices.flatMap((d) => [
    d,
    ...(d.instances ?? []).map((i) => ({
      name: refOf({ device: d.name, instance: i.name }),
      addresses: i.addresses,
    })),
  ]);
  const start = (trace: boolean) => send({ from, source, to, count, trace, port });
  return (
    <Aside label="Probe" wide={360}>
      <Flex align="center" mb={2}>
        <Box as="h2" fontSize="14px" flex={1}>
          Probe and trace
        </Box>
        <Plain size="xs" h="22px" onClick={close} aria-label="Close the probe">
          close
        </Plain>
      </Flex>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          start(false);
        }}
      >
        <Labelled label="from">
          <chakra.select
            {...field}
            value={from}
            onChange={(e) => {
              setFrom(e.target.value);
              setSource('');
            }}
          >
            <Options of={ends.map((e) => e.name)} />
          </chakra.select>
        </Labelled>
        <Labelled label="address">
          <chakra.select {...field} {...mono} value={source} onChange={(e) => setSource(e.target.value)}>
            <option value="">of the port it leaves by</option>
            <Options of={ends.find((e) => e.name === from)?.addresses ?? []} />
          </chakra.select>
        </Labelled>
        <Labelled label="to">
          <chakra.input
            {...field}
            {...mono}
            ref={cursor}
            value={to}
            onChange={(e) => setTo(e.target.value)}
            onKeyDown={(e) => e.key === 'Escape' && close()}
            list="probe-targets"
            placeholder="address or device"
            spellCheck={false}
          />
          <datalist id="probe-targets">
            <Options of={ends.flatMap((e) => [...(e.name.includes('/') ? [] : [e.name]), ...e.addresses])} />
          </datalist>
        </Labelled>
        <Labelled label="times">
          <chakra.input
            {...field}
            type="number"
            min={1}
            max={100}
            value={count}
            onChange={(e) => setCount(Number(e.target.value))}
          />
        </Labelled>
        <Labelled label="TCP port">
          <chakra.input
            {...field}
            type="number"
            min={1}
            max={65535}
            value={port || ''}
            placeholder="none: echo requests"
            list="probe-services"
            onChange={(e) => setPort(Number(e.target.value))}
          />
          <datalist id="probe-services">
            {services.map((s) => (
              <option key={s} value={s.split(' ')[0]}>
                {s}
              </option>
            ))}
          </datalist>
        </Labelled>
        <Flex gap={2} mt={2}>
          <Main type="submit" disabled={!to || running}>
            {port ? 'Connect' : 'Probe'}
          </Main>
          <Plain onClick={() => start(true)} disabled={!to || running}>
            Trace
          </Plain>
          {running && <Plain onClick={stop}>Stop</Plain>}
        </Flex>
      </form>
      {probed ? (
        <Replies probed={probed} />
      ) : (
        <Quiet display="block" mt={3}>
          The packets travel a copy of the network at the moment in focus; the lab itself does not notice.
        </Quiet>
      )}
    </Aside>
  );
}

const Options = ({ of }: { of: string[] }) => of.map((x) => <option key={x}>{x}</option>);

const Labelled = ({ label, children }: { label: string; children: ReactNode }) => (
  <chakra.label display="grid" gridTemplateColumns="64px 1fr" alignItems="center" mb={1} color="quiet">
    {label}
    <Box color="ink">{children}</Box>
  </chakra.label>
);
