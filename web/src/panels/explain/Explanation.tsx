import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import type { ReactNode } from 'react';
import { type Flow, type LabState, type MapLink, type Neighbour } from '../../shared/api/client';
import { Fixes } from '../../shared/draft/Fixes';
import { ask } from '../../shared/api/questions';
import { cableOf, deviceOf, portName, useFocus, instanceOf, refOf } from '../../shared/focus/focus';
import { LinkFields } from '../../views/map/LinkFields';
import { faultWords } from '../../views/map/words';
import { metWords } from './met';
import { Reasons } from '../../views/neighbours/Reasons';
import { Aside, Key, Mono, Plain, Quiet } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { currentAction } from '../../shared/focus/moment';
import { useThings } from '../../shared/things/things';
import { Story } from '../../views/routes/Story';

interface Props {
  lab: LabState;
  /** A port of the selected link, '' for none. */
  link: string;
  act: (action: string) => void;
  past: boolean;
  close: () => void;
}

/** What is to be said of whatever is selected. It stays while views change. */
export function Explanation({ lab, link, act, past, close }: Props) {
  const { id, focus, show } = useFocus();
  const menu = useThings();
  const map = useQuery(ask.map(id, focus.when));
  const who = deviceOf(focus.who);
  const device = map.data?.devices.find((d) => d.name === who);
  const port = focus.who.includes('.') ? focus.who : '';
  const selected = map.data?.links.find((l) => l.ends.some((e) => portName(e) === cableOf(link || port)));
  const ends = selected?.ends.map((e) => portName(e)) ?? [];
  const devices = [
    ...new Set([...(selected?.ends.map((e) => e.device) ?? []), ...(who ? [who] : [])]),
  ].sort();
  const neighbours = useQuery({
    // Of a very large segment, all: that is shorter to say.
    ...ask.neighbours(id, focus.when, devices.length > 100 ? {} : { device: devices }),
    enabled: devices.length > 0,
  });
  const relations = (neighbours.data?.neighbours ?? []).filter(
    (n) => n.protocol === 'ospf' && (ends.includes(portName(n.a)) || ends.includes(portName(n.b))),
  );
  const aimed = focus.to !== '' && !focus.to.startsWith('flow ') ? focus.to : '';
  const flows = map.data?.flows ?? [];
  const flow = focus.to.startsWith('flow ') ? flows.filter((f) => f.name === focus.to.slice(5)) : flows;
  return (
    <Aside label="Explanation" wide={300}>
      <Flex justify="flex-end" float="right" ml={2}>
        <Plain size="xs" h="22px" onClick={close} aria-label="Close the explanation">
          close
        </Plain>
      </Flex>
      {selected && (
        <LinkPart
          link={selected}
          port={link || port}
          relations={relations}
          act={act}
          past={past}
          capture={captureURL(id, link || port, currentAction(lab, focus.when).seq)}
        />
      )}
      {device && aimed && (
        <Part title={`How does ${instanceOf(focus.who)} reach ${aimed}?`}>
          <Story device={instanceOf(focus.who)} to={aimed} />
        </Part>
      )}
      {device && !aimed && !selected && (
        <Part title={device.name}>
          <Box>
            {device.kind === 'host'
              ? 'A host'
              : device.routerId
                ? 'A router that runs OSPF'
                : 'A router without OSPF'}
            {device.areas.length > 0 && `, in area ${device.areas.join(', ')}`}
            {device.as !== undefined && `, in AS ${device.as}`}
            {device.reflector && ', a route reflector'}
          </Box>
          {map.data?.feeds
            ?.filter((f) => f.router.split('/')[0] === device.name)
            .map((f) => (
              <Box key={f.router}>
                {f.router} feeds {plural(f.prefixes, 'prefix', 'prefixes')}
                {f.withdrawn > 0 && (
                  <Box as="span" color="ochre">{`, ${f.withdrawn} % of them withdrawn`}</Box>
                )}
              </Box>
            ))}
          {device.routerId && (
            <Quiet display="block">
              router ID <Mono>{device.routerId}</Mono>
            </Quiet>
          )}
          {device.addresses.map((a) => (
            <Mono key={a} display="block" color="quiet">
              {a}
            </Mono>
          ))}
          {device.instances?.map((i) => (
            <Box key={i.name}>
              instance <b>{i.name}</b>
              {i.as ? `, AS ${i.as}` : ''}: {i.ports.join(', ')}
              {i.addresses.map((a) => (
                <Mono key={a} display="block" color="quiet">
                  {a}
                </Mono>
              ))}
            </Box>
          ))}
          {device.services.map((s) => (
            <Box key={s}>takes TCP connections on port {s}</Box>
          ))}
          <Relations name={device.name} neighbours={neighbours.data?.neighbours ?? []} />
          <Flex gap={2} mt={3} wrap="wrap">
            <Plain size="xs" onClick={() => void show('desk', { who: device.name })}>
              Desk <Key>j</Key>
            </Plain>
            <Plain
              size="xs"
              disabled={past}
              onClick={() => act(`${device.enabled ? 'disable' : 'enable'} ${device.name}`)}
            >
              {device.enabled ? 'Disable' : 'Enable'}
            </Plain>
            <Plain size="xs" aria-haspopup="menu" onClick={menu({ kind: 'device', name: device.name })}>
              More
            </Plain>
          </Flex>
          <Quiet display="block" mt={3}>
            Choose where to: a prefix on the Routes page, or type it into the bar.
          </Quiet>
        </Part>
      )}
      {flow.map((f) => (
        <FlowPart key={f.name} flow={f} />
      ))}
      {!device && !selected && flows.length === 0 && (
        <Quiet>
          Select a device, a link or a row: its details appear here. <Key>?</Key> lists the keys.
        </Quiet>
      )}
      {lab.actions.some((a) => a.diverged) && (
        <Part title="Recorded by another engine">
          A newer engine came to other results than those recorded when these actions were done. What you see
          is the newer engine's.
        </Part>
      )}
    </Aside>
  );
}

const Part = ({ title, children }: { title: string; children: ReactNode }) => (
  <Box mb={5}>
    <Box as="h2" fontSize="14px" mb={1} pr={12}>
      {title}
    </Box>
    {children}
  </Box>
);

/** Whom a device meets on its ports, and in its sessions. */
function Relations({ name, neighbours }: { name: string; neighbours: Neighbour[] }) {
  const mine = neighbours.filter((n) => n.a.device === name || (n.b.device === name && !n.b.absent));
  if (mine.length === 0) return null;
  return (
    <Box as="ul" listStyleType="none" mt={2} fontSize="12px" maxH="220px" overflowY="auto">
      {mine.map((n) => {
        const [near, far] = n.a.device === name ? [n.a, n.b] : [n.b, n.a];
        return (
          <Flex as="li" key={`${n.protocol} ${near.port} ${far.device} ${far.address ?? ''}`} gap={2}>
            <Quiet w="52px" flexShrink={0} truncate>
              {n.protocol === 'ospf' ? near.port : 'session'}
            </Quiet>
            <Box flex={1} minW={0} truncate>
              {far.absent ? 'nobody' : far.device}
            </Box>
            <Box color={n.up ? 'leaf' : 'brick'}>{n.state}</Box>
          </Flex>
        );
      })}
    </Box>
  );
}

function FlowPart({ flow: f }: { flow: Flow }) {
  return (
    <Part title={`Flow ${f.name}`}>
      <Box color={f.arrives ? 'leaf' : 'brick'} fontWeight="600">
        {f.arrives ? `arrives over ${plural(f.hops.length - 1, 'link')}` : f.reason}
      </Box>
      <Box as="ol" listStyleType="none" mt={2}>
        {f.hops.map((h, i) => (
          <Box
            as="li"
            key={i}
            borderLeft="2px solid"
            borderColor={i === f.hops.length - 1 && !f.arrives ? 'brick' : 'line'}
            pl={3}
            pb={2}
          >
            <b>{refOf(h)}</b>
            {h.as !== undefined && h.as !== f.hops[i - 1]?.as && <Quiet> AS {h.as}</Quiet>}
            {h.out && (
              <Quiet>
                {' '}
                out of {h.out}
                {h.outCost ? `, cost ${h.outCost}` : ''}
                {h.into ? `, across into instance ${h.into}` : ''}
              </Quiet>
            )}
            {h.prefix && (
              <Quiet display="block" fontSize="12px">
                by <Mono fontSize="11.5px">{h.prefix}</Mono>,{' '}
                {h.source === 'ospf' ? `OSPF, cost ${h.cost}` : h.source === 'bgp' ? 'BGP' : h.source}
                {h.ways && h.ways > 1 ? `, one of ${h.ways} equal-cost paths` : ''}
              </Quiet>
            )}
          </Box>
        ))}
      </Box>
      {!f.arrives && <Fixes fixes={f.fixes} />}
      {f.arrives && !f.back.arrives && <Box color="brick">The answers do not come back: {f.back.reason}</Box>}
    </Part>
  );
}

interface LinkProps {
  link: MapLink;
  port: string;
  relations: Neighbour[];
  act: (action: string) => void;
  past: boolean;
  capture: string;
}

/** Where the packets of an action on a port's link are to be had. */
const captureURL = (id: string, port: string, seq: number) =>
  `/api/labs/${id}/capture?port=${encodeURIComponent(port)}${seq > 0 ? `&from=before-${seq}&to=after-${seq}` : ''}`;

/** A link: its two ends, its fault, and what can be done to it. */
function LinkPart({ link, port, relations, act, past, capture }: LinkProps) {
  const fault = faultWords(link);
  const broken = link.cut || link.ends.some((e) => e.silent);
  const title =
    link.kind === 'segment' ? `Segment ${link.name}` : link.ends.map((e) => portName(e)).join(' to ');
  return (
    <Part title={title}>
      <Quiet display="block">
        delay {link.delay}
        {link.loss > 0 && `, ${link.loss}% of packets lost at random`}
      </Quiet>
      {fault && (
        <Box color="brick" fontWeight="600">
          {fault}
        </Box>
      )}
      {link.ends.map((e) => (
        <Box key={portName(e)} mt={1}>
          <b>{portName(e)}</b> <Mono color="quiet">{e.address}</Mono>
          <Quiet display="block" fontSize="12px">
            {e.up ? 'up' : `down: ${e.why}`}
            {e.cost ? `, cost ${e.cost}, area ${e.area}` : ''}
            {metWords(portName(e), relations)}
          </Quiet>
        </Box>
      ))}
      <Flex gap={2} mt={3} wrap="wrap">
        {broken ? (
          <Plain size="xs" disabled={past} onClick={() => act(`mend ${port}`)}>
            Mend <Key>u</Key>
          </Plain>
        ) : (
          <>
            <Plain size="xs" disabled={past} onClick={() => act(`cut ${port}`)}>
              Cut <Key>c</Key>
            </Plain>
            <Plain size="xs" disabled={past} onClick={() => act(`silence ${port}`)}>
              Silence <Key>s</Key>
            </Plain>
            <Plain
              size="xs"
              disabled={past}
              onClick={() => act(`silence ${port} out`)}
              title={`packets from ${port} vanish`}
            >
              Silence out
            </Plain>
            <Plain
              size="xs"
              disabled={past}
              onClick={() => act(`silence ${port} in`)}
              title={`packets to ${port} vanish`}
            >
              Silence in
            </Plain>
          </>
        )}
      </Flex>
      <LinkFields link={link} />
      <Box display="block" py={1} color="plum" textDecoration="underline" asChild>
        <a href={capture} download title="All packets on it during the action that the timeline shows">
          Packets of this action as pcapng
        </a>
      </Box>
      {relations
        .filter((n) => !n.up && [portName(n.a), portName(n.b)].includes(port))
        .map((n) => (
          <Box mt={3} key={`${portName(n.a)} ${portName(n.b)}`}>
            <Box fontWeight="650" color="brick" mb={1}>
              OSPF {n.state}
              {link.kind === 'segment' && `, ${portName(n.a)} - ${portName(n.b)}`}
            </Box>
            <Box overflowX="auto" tabIndex={0} role="region" aria-label="Why it is not up">
              <Reasons reasons={n.reasons} a={n.a} b={n.b} />
            </Box>
          </Box>
        ))}
    </Part>
  );
}
