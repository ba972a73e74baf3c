import { Box, Flex, chakra } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { http, unwrap, type MapDevice, type ProbeRequest, type ProbeResult } from '../api/client';
import { useFocus } from '../focus/focus';
import { Main, Mono, Plain, Quiet, Trouble } from '../parts/parts';
import { duration } from '../parts/words';

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

/** Real packets from any device, and any of its addresses, to any address; in a copy of the network at the moment in focus. */
export function Probe({ devices, who, close }: Props) {
  const { id, focus } = useFocus();
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
  const probe = useMutation({
    mutationFn: (body: ProbeRequest) =>
      unwrap(
        http.POST('/api/labs/{id}/probe', { params: { path: { id }, query: { at: focus.when } }, body }),
      ),
  });
  const send = (trace: boolean) =>
    probe.mutate({ from, to, trace, ...(source ? { source } : {}), ...(trace ? {} : { count }) });
  return (
    <Box
      as="aside"
      w="360px"
      flexShrink={0}
      bg="panel"
      borderLeft="1px solid"
      borderColor="line"
      overflow="auto"
      p={4}
      aria-label="Probe"
      tabIndex={0}
    >
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
          send(false);
        }}
      >
        <Labelled label="from">
          <chakra.select {...field} value={from} onChange={(e) => (setFrom(e.target.value), setSource(''))}>
            {devices.map((d) => (
              <option key={d.name}>{d.name}</option>
            ))}
          </chakra.select>
        </Labelled>
        <Labelled label="address">
          <chakra.select
            {...field}
            fontFamily="mono"
            fontSize="12px"
            value={source}
            onChange={(e) => setSource(e.target.value)}
          >
            <option value="">of the port it leaves by</option>
            {devices
              .find((d) => d.name === from)
              ?.addresses.map((a) => (
                <option key={a}>{a}</option>
              ))}
          </chakra.select>
        </Labelled>
        <Labelled label="to">
          <chakra.input
            {...field}
            fontFamily="mono"
            fontSize="12px"
            value={to}
            onChange={(e) => setTo(e.target.value)}
            list="probe-targets"
            placeholder="address or device"
            spellCheck={false}
          />
          <datalist id="probe-targets">
            {devices
              .flatMap((d) => [d.name, ...d.addresses])
              .map((a) => (
                <option key={a}>{a}</option>
              ))}
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
        <Flex gap={2} mt={2}>
          <Main type="submit" loading={probe.isPending} disabled={!to}>
            Probe
          </Main>
          <Plain onClick={() => send(true)} disabled={!to || probe.isPending}>
            Trace
          </Plain>
        </Flex>
      </form>
      {probe.error && <Trouble error={probe.error} />}
      {probe.data && (
        <Result
          key={JSON.stringify(probe.variables)}
          result={probe.data}
          trace={probe.variables.trace === true}
        />
      )}
      {!probe.data && !probe.error && (
        <Quiet display="block" mt={3}>
          The packets travel a copy of the network at the moment in focus; the lab itself does not notice.
        </Quiet>
      )}
    </Box>
  );
}

const Labelled = ({ label, children }: { label: string; children: ReactNode }) => (
  <chakra.label display="grid" gridTemplateColumns="60px 1fr" alignItems="center" mb={1} color="quiet">
    {label}
    <Box color="ink">{children}</Box>
  </chakra.label>
);

function Result({ result: r, trace }: { result: ProbeResult; trace: boolean }) {
  const [open, setOpen] = useState(-1);
  const good = trace ? r.replies.at(-1)?.ok : r.answered === r.sent;
  return (
    <Box mt={4} data-testid="probe-result">
      <Box fontWeight="650" color={good ? 'leaf' : 'brick'}>
        {r.summary}
      </Box>
      <Quiet display="block" fontSize="12px" mb={2}>
        from <Mono>{r.source}</Mono> to <Mono>{r.address}</Mono>
      </Quiet>
      {r.replies.map((x, i) => (
        <Box key={x.seq} borderTop="1px solid" borderColor="line">
          <chakra.button
            w="full"
            textAlign="left"
            py="4px"
            onClick={() => setOpen(open === i ? -1 : i)}
            aria-expanded={open === i}
          >
            <Flex gap={2}>
              <Quiet w="22px">{trace ? x.ttl : x.seq}</Quiet>
              <Box flex={1}>
                {x.by ? (
                  <>
                    <b>{x.device ?? 'somebody'}</b> <Mono color="quiet">{x.by}</Mono>
                    {!x.ok && <Quiet display="block">{x.answer}</Quiet>}
                  </>
                ) : (
                  <Box color="brick">{x.reason}</Box>
                )}
              </Box>
              <Quiet whiteSpace="nowrap">{x.rtt !== undefined ? duration(x.rtt) : 'no answer'}</Quiet>
            </Flex>
          </chakra.button>
          {open === i && (
            <Box pl={6} pb={2} fontSize="12px">
              {x.steps.map((s, k) => (
                <Box key={k} py="1px" color={s.dropped ? 'brick' : undefined}>
                  <Quiet>{duration(s.at)}</Quiet> <b>{s.device}</b> {s.packet}: {s.did}
                </Box>
              ))}
            </Box>
          )}
        </Box>
      ))}
    </Box>
  );
}
