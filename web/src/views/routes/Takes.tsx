import { Box, Flex } from '@chakra-ui/react';
import type { Take, TakeRoute } from '../../shared/api/client';
import { useFocus } from '../../shared/focus/focus';
import { Mono, Quiet } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';

/** What crosses, and what does not, as rows of a table. */
export const takeRows = (takes: Take[]) => [
  ['router', 'from', 'to', 'policy', 'prefix', 'source', 'verdict', 'tag', 'why'],
  ...takes.flatMap((t) =>
    t.routes.map((r) => [t.device, t.from, t.to, t.policy, r.prefix, r.source, r.verdict, r.tag, r.why]),
  ),
];

/** What crosses between the routing instances of routers: from, to, by which policy, and which prefixes. */
export function Takes({ takes }: { takes: Take[] }) {
  return (
    <Flex
      direction="column"
      gap={3}
      overflowY="auto"
      minH={0}
      flex={1}
      role="region"
      aria-label="What crosses"
      tabIndex={0}
    >
      {takes.map((t) => (
        <OneTake key={`${t.device} ${t.to} ${t.from}`} t={t} />
      ))}
    </Flex>
  );
}

function OneTake({ t }: { t: Take }) {
  const crosses = t.routes.filter((r) => r.verdict === 'crosses');
  const stays = t.routes.filter((r) => r.verdict !== 'crosses');
  return (
    <Box as="section" border="1px solid" borderColor="line" borderRadius="md" bg="panel" px={4} py={3}>
      <Flex gap={3} align="baseline" wrap="wrap">
        <b>{t.device}</b>
        <Bay name={t.from} />
        <Quiet>to</Quiet>
        <Bay name={t.to} />
        <Quiet>through</Quiet>
        <Mono>{t.own ? `${t.policy} of ${t.device}` : t.policy}</Mono>
        <Box flex={1} />
        <Quiet>
          {t.crosses} of {plural(t.routes.length, 'route')} {t.crosses === 1 ? 'crosses' : 'cross'}
        </Quiet>
      </Flex>
      <Flex gap={8} mt={2} wrap="wrap" align="flex-start">
        <List title={`crosses to ${t.to}`} routes={crosses} color="leaf" nothing="nothing" />
        <List title={`stays in ${t.from}`} routes={stays} color="quiet" nothing="nothing" />
      </Flex>
    </Box>
  );
}

const Bay = ({ name }: { name: string }) => (
  <Box as="span" border="1px solid" borderColor="line" borderRadius="sm" px={2} bg="chosen" fontWeight="600">
    {name}
  </Box>
);

function List({
  title,
  routes,
  color,
  nothing,
}: {
  title: string;
  routes: TakeRoute[];
  color: string;
  nothing: string;
}) {
  const { set } = useFocus();
  return (
    <Box flex={1} minW="300px">
      <Box color={color} fontWeight="650" fontSize="12px">
        {title}
      </Box>
      {routes.length === 0 && <Quiet>{nothing}</Quiet>}
      {routes.map((r) => (
        <Box
          key={r.prefix}
          as="button"
          display="block"
          textAlign="left"
          w="full"
          py="2px"
          title={r.why}
          _hover={{ bg: 'chosen' }}
          onClick={() => void set({ to: r.prefix })}
        >
          <Mono>{r.prefix}</Mono>{' '}
          <Quiet>
            {r.source === 'ospf' || r.source === 'bgp' ? r.source.toUpperCase() : r.source}
            {r.tag ? `, tag ${r.tag}` : ''}
            {r.verdict === 'crosses' ? '' : `: ${r.why}`}
          </Quiet>
        </Box>
      ))}
    </Box>
  );
}
