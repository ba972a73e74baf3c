import { Box } from '@chakra-ui/react';
import type { Neighbour, Reason } from '../../shared/api/client';
import { Field } from '../../shared/draft/Field';
import { Fixes } from '../../shared/draft/Fixes';
import { Mono, Quiet } from '../../shared/parts/parts';
import { portName } from '../../shared/focus/focus';
import { endName } from './ends';

type End = Neighbour['a'];

const marks = {
  observed: 'seen by',
  foreseen: 'would come next, by the configurations',
  fault: 'a fault on the link',
};

/** Why an adjacency is not up: what was observed first, then what is foreseen; both values each. */
export function Reasons({ reasons, a, b }: { reasons: Reason[]; a: End; b: End }) {
  return (
    <Box
      display="grid"
      gridTemplateColumns="minmax(120px,150px) minmax(110px,170px) minmax(110px,170px) 1fr"
      gap="4px 10px"
      alignItems="start"
      maxW="1100px"
    >
      <Box />
      <Quiet fontSize="11px">
        {a.device} {a.port}
      </Quiet>
      <Quiet fontSize="11px">
        {endName(b)} {b.port}
      </Quiet>
      <Box />
      {reasons.map((r) => (
        <Box key={[r.code, r.mine, r.theirs].join()} display="contents">
          <Box fontWeight="600" title={r.rfc ? `RFC ${r.rfc}` : undefined}>
            {r.what}
          </Box>
          <Value v={r.mine} code={r.code} end={a} />
          <Value v={r.theirs} code={r.code} end={b} />
          <Box>
            {r.text}
            <Box color="quiet" fontSize="12px">
              {marks[r.source]}
              {r.source === 'observed' && ` ${r.by ?? ''}`}
              {r.count ? `, ${r.count} packets refused so far` : ''}
              {r.remedy ? `. ${r.remedy[0]?.toUpperCase()}${r.remedy.slice(1)}.` : ''}
            </Box>
            <Fixes fixes={r.fixes} />
          </Box>
        </Box>
      ))}
    </Box>
  );
}

/** The statement that a value of a reason is of, where it can be written as it is shown. */
const statements: Record<string, string> = {
  area: 'ospf area',
  subnet: '',
  'hello-interval': 'ospf hello-interval',
  'dead-interval': 'ospf dead-interval',
  mtu: 'mtu',
  type: 'ospf type',
};

/** The value of one end: a field where it can be changed, else as it is. */
function Value({ v, code, end }: { v: string | undefined; code: string; end: End }) {
  if (!v) return <span />;
  const statement = statements[code];
  const port = portName(end);
  if (statement === undefined || end.absent || !/^[a-z][\w-]*(\.\d+)?$/i.test(end.port))
    return <Mono>{v}</Mono>;
  return <Field label={`${code} of ${port}`} value={v} edit={`${port} ${statement}`.trim()} />;
}
