import { Box } from '@chakra-ui/react';
import type { Neighbour, Reason } from '../../shared/api/client';
import { Fixes } from '../../shared/draft/Fixes';
import { Mono, Quiet } from '../../shared/parts/parts';
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
          <Value v={r.mine} />
          <Value v={r.theirs} />
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

const Value = ({ v }: { v: string | undefined }) =>
  v ? (
    <Mono bg="panel" border="1px solid" borderColor="line" borderRadius="sm" px={2}>
      {v}
    </Mono>
  ) : (
    <span />
  );
