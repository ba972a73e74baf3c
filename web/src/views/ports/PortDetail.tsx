import { Box } from '@chakra-ui/react';
import type { ReactNode } from 'react';
import type { Port } from '../../shared/api/client';
import { Field } from '../../shared/draft/Field';
import { portName } from '../../shared/focus/focus';
import { Mono, Quiet } from '../../shared/parts/parts';

/** All there is to know of a port; what the text says of it can be written here. */
export function PortDetail({ port: p }: { port: Port }) {
  const name = portName(p);
  const o = p.ospf;
  const own = p.kind === 'port' || p.kind === 'loopback';
  const set = (label: string, value: string, statement: string) =>
    own ? (
      <Field
        key={value}
        label={`${label} of ${name}`}
        value={value}
        edit={`${name} ${statement}`}
        empty={`remove ${name} ${statement}`}
      />
    ) : (
      <Mono>{value}</Mono>
    );
  const talks = o && !o.passive && o.type !== 'loopback';
  return (
    <Box
      display="grid"
      gridTemplateColumns="repeat(auto-fill, minmax(196px, 1fr))"
      gap="4px 14px"
      fontSize="12px"
      data-testid="port-detail"
    >
      {p.kind === 'port' && <Fact name="MTU">{set('MTU', String(p.mtu), 'mtu')}</Fact>}
      {p.kind === 'port' && p.bandwidth && (
        <Fact name="bandwidth">{set('bandwidth', p.bandwidth, 'bandwidth')}</Fact>
      )}
      {o && <Fact name="area">{set('OSPF area', o.area, 'ospf area')}</Fact>}
      {o && o.type !== 'loopback' && (
        <Fact name="cost" note={o.costFrom}>
          {set('cost', String(o.cost), 'ospf cost')}
        </Fact>
      )}
      {o && o.type !== 'loopback' && <Fact name="type">{set('type', o.type, 'ospf type')}</Fact>}
      {talks && (
        <>
          <Fact name="hello interval" note={next(o.nextHello)}>
            {set('hello interval', o.helloInterval, 'ospf hello-interval')}
          </Fact>
          <Fact name="dead interval">{set('dead interval', o.deadInterval, 'ospf dead-interval')}</Fact>
          <Fact name="retransmit">
            {set('retransmit interval', o.retransmitInterval, 'ospf retransmit-interval')}
          </Fact>
          <Fact name="transmit delay">{set('transmit delay', o.transmitDelay, 'ospf transmit-delay')}</Fact>
          <Fact name="keys in force" note={o.keysFrom ? `set on ${o.keysFrom}` : undefined}>
            <Mono>{o.authentication}</Mono>
          </Fact>
        </>
      )}
      {talks && o.priority !== undefined && (
        <>
          <Fact name="priority">{set('priority', String(o.priority), 'ospf priority')}</Fact>
          <Fact name="DR" note={o.drWhy}>
            <Mono>{o.dr || 'none'}</Mono>
          </Fact>
          <Fact name="BDR" note={o.bdrWhy}>
            <Mono>{o.bdr || 'none'}</Mono>
          </Fact>
        </>
      )}
      {!o && p.kind === 'port' && <Quiet>OSPF is off on this port.</Quiet>}
    </Box>
  );
}

const next = (s: number | undefined) => (s === undefined ? undefined : `next in ${s.toFixed(1)} s`);

function Fact({ name, note, children }: { name: string; note?: string | undefined; children: ReactNode }) {
  return (
    <Box display="grid" gridTemplateColumns="88px 1fr" gap={2} alignItems="center">
      <Quiet>{name}</Quiet>
      <Box>
        {children}
        {note && (
          <Quiet display="block" fontSize="11px">
            {note}
          </Quiet>
        )}
      </Box>
    </Box>
  );
}
