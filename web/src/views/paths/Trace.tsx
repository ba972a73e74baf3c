import { Box, chakra } from '@chakra-ui/react';
import type { Attributes, PolicyTrace } from '../../shared/api/client';
import { Quiet } from '../../shared/parts/parts';
import { attributeRows } from './words';

interface Props {
  before?: Attributes | undefined;
  after?: Attributes | undefined;
  trace?: PolicyTrace | undefined;
  cost?: number | undefined;
  what: string;
}

/** Attributes before and after a policy, and what its statements did. */
export function Trace({ before, after, trace, cost, what }: Props) {
  const old = before ? attributeRows(before) : undefined;
  const now = after ? attributeRows(after) : undefined;
  const rows = (now ?? old ?? [])
    .map(([name, value], i) => ({ name, value, was: old?.[i]?.[1] ?? '' }))
    .filter((r) => r.value !== '' || r.was !== '');
  const changes = old && now;
  return (
    <Box fontSize="12px">
      <chakra.table w="full" mb={2}>
        <thead>
          <tr>
            <Th />
            {changes && <Th>as received</Th>}
            <Th>{changes ? 'after the policy' : now ? 'as sent' : 'as received'}</Th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.name}>
              <Td color="quiet">{r.name}</Td>
              {changes && <Td mono>{r.was || 'none'}</Td>}
              <Td mono bold={!!changes && r.value !== r.was}>
                {r.value || 'none'}
              </Td>
            </tr>
          ))}
          {cost !== undefined && (
            <tr>
              <Td color="quiet">interior cost</Td>
              {changes && <Td />}
              <Td mono>{cost}</Td>
            </tr>
          )}
        </tbody>
      </chakra.table>
      {trace ? <Steps trace={trace} /> : <Quiet>There is no {what}: everything passes unchanged.</Quiet>}
    </Box>
  );
}

const Th = ({ children }: { children?: React.ReactNode }) => (
  <chakra.th textAlign="left" fontWeight="500" color="quiet" fontSize="11px">
    {children}
  </chakra.th>
);
const Td = ({
  children,
  color,
  mono,
  bold,
}: {
  children?: React.ReactNode;
  color?: string;
  mono?: boolean;
  bold?: boolean;
}) => (
  <chakra.td
    pr={3}
    verticalAlign="top"
    color={color ?? (bold ? 'plum' : undefined)}
    fontFamily={mono ? 'mono' : undefined}
    fontSize={mono ? '11.5px' : undefined}
    fontWeight={bold ? 700 : undefined}
  >
    {children}
  </chakra.td>
);

/** The statements of a policy in order: what each looked at, and what it did. */
export function Steps({ trace }: { trace: PolicyTrace }) {
  return (
    <Box>
      <Box mb={1}>
        <b>{trace.policy}</b>
        {trace.own ? ", the router's own," : ''} {trace.accepted ? 'accepts' : 'rejects'} it
        {trace.atEnd && ', at its end'}
      </Box>
      {trace.steps.map((s) => (
        <Box key={s.statement} pl={3} borderLeft="2px solid" borderColor={s.matched ? 'plum' : 'line'} mb={1}>
          <Box>
            <b>{s.statement}</b>{' '}
            <Quiet>
              {s.matched
                ? s.verdict === 'no verdict'
                  ? 'matches, and the next goes on'
                  : `matches: ${s.verdict}`
                : 'does not match'}
            </Quiet>
          </Box>
          {s.conditions.map((c, i) => (
            <Box key={i} color={c.holds ? 'leaf' : 'brick'}>
              {c.holds ? 'holds' : 'does not hold'}: {c.condition} <Quiet>({c.value})</Quiet>
            </Box>
          ))}
          {s.matched && s.actions.map((a, i) => <Box key={i}>does: {a}</Box>)}
        </Box>
      ))}
    </Box>
  );
}
