import { Box } from '@chakra-ui/react';
import type { Hunk } from '../api/client';
import { Mono, Quiet } from '../parts/parts';

/** The lines in which a draft is different, block by block. */
export function Hunks({ lines, most = 40 }: { lines: Hunk[]; most?: number }) {
  return (
    <Box data-testid="draft-lines">
      {lines.slice(0, most).map((h, i) => (
        <Box key={i} mb={2}>
          <Quiet fontSize="11.5px">
            {h.block || 'the lab'}, line {h.line}
          </Quiet>
          {h.removed.filter(Boolean).map((l, k) => (
            <Line key={`-${k}`} mark="−" says="removed" tone="brick" line={l} />
          ))}
          {h.added.filter(Boolean).map((l, k) => (
            <Line key={`+${k}`} mark="+" says="added" tone="leaf" line={l} />
          ))}
        </Box>
      ))}
      {lines.length > most && <Quiet>and {lines.length - most} more places</Quiet>}
    </Box>
  );
}

function Line({ mark, says, tone, line }: { mark: string; says: string; tone: string; line: string }) {
  return (
    <Mono display="block" whiteSpace="pre-wrap" overflowWrap="anywhere" color={tone}>
      <span aria-label={says}>{mark}</span> {line}
    </Mono>
  );
}
