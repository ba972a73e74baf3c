import { useQuery } from '@tanstack/react-query';
import { Box } from '@chakra-ui/react';
import type { MapLink, Port } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { Field } from '../../shared/draft/Field';
import { portName, useFocus } from '../../shared/focus/focus';
import { Mono, Quiet } from '../../shared/parts/parts';

/** What of a port can be written: its name, its value, and the edit that sets it. */
interface Row {
  name: string;
  value: (p: Port) => string;
  edit: (port: string) => string;
  empty?: (port: string) => string;
}

const ospf = (
  name: string,
  statement: string,
  value: (p: Port) => string | undefined,
  optional = true,
): Row => ({
  name,
  value: (p) => value(p) ?? '',
  edit: (port) => `${port} ospf ${statement}`,
  ...(optional ? { empty: (port: string) => `remove ${port} ospf ${statement}` } : {}),
});

const rows: Row[] = [
  { name: 'address', value: (p) => p.address ?? '', edit: (port) => port },
  {
    name: 'MTU',
    value: (p) => String(p.mtu),
    edit: (port) => `${port} mtu`,
    empty: (port) => `remove ${port} mtu`,
  },
  ospf('OSPF area', 'area', (p) => p.ospf?.area, false),
  ospf('cost', 'cost', (p) => (p.ospf ? String(p.ospf.cost) : '')),
  ospf('hello', 'hello-interval', (p) => p.ospf?.helloInterval),
  ospf('dead', 'dead-interval', (p) => p.ospf?.deadInterval),
  ospf('keys', 'keys', (p) => p.ospf?.authentication.split(/[ ,]/)[0]),
];

/** All ends of a link beside each other, to be changed where they are seen. */
export function LinkFields({ link }: { link: MapLink }) {
  const { id, focus } = useFocus();
  const devices = [...new Set(link.ends.map((e) => e.device))].sort();
  const ports = useQuery(ask.ports(id, focus.when, { device: devices }));
  const ends = link.ends.map((e) => ({
    name: portName(e),
    port: ports.data?.ports.find((p) => p.device === e.device && p.port === e.port),
  }));
  if (!ports.data) return null;
  return (
    <Box mt={3} mb={4} overflowX="auto" tabIndex={0} role="region" aria-label="What the ends say">
      <Box
        display="grid"
        gridTemplateColumns={`58px repeat(${ends.length}, minmax(70px, 1fr))`}
        gap="3px 6px"
        alignItems="center"
        fontSize="12px"
        data-testid="link-fields"
      >
        <Box />
        {ends.map((e) => (
          <Mono key={e.name} fontWeight="600" truncate title={e.name}>
            {e.name}
          </Mono>
        ))}
        {rows.map((r) => (
          <Box key={r.name} display="contents">
            <Quiet>{r.name}</Quiet>
            {ends.map((e) =>
              e.port && (e.port.kind === 'port' || r.name === 'address') ? (
                <Field
                  key={`${e.name} ${r.value(e.port)}`}
                  label={`${r.name} of ${e.name}`}
                  value={r.value(e.port)}
                  edit={r.edit(e.name)}
                  {...(r.empty ? { empty: r.empty(e.name) } : {})}
                />
              ) : (
                <span key={e.name} />
              ),
            )}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
