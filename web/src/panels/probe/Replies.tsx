import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { ProbeReply } from '../../shared/api/client';
import { Mono, Quiet, Trouble } from '../../shared/parts/parts';
import { duration } from '../../shared/parts/words';
import type { Probed } from './useProbe';

/** The replies of a probe so far, each opening to what every device did with its packets. */
export function Replies({ probed: { request, replies, running, end, error } }: { probed: Probed }) {
  const answered = replies.filter((r) => r.ok).length;
  const good = request.trace ? replies.at(-1)?.ok : answered === replies.length;
  return (
    <Box mt={4} data-testid="probe-result">
      <Box fontWeight="650" color={running ? 'quiet' : good ? 'leaf' : 'brick'} aria-live="polite">
        {end?.summary ?? (error ? '' : running ? `${replies.length} sent, ${answered} answered` : 'stopped')}
      </Box>
      {error && <Trouble error={error} />}
      {end && (
        <Quiet display="block" fontSize="12px" mb={2}>
          from <Mono>{end.source}</Mono> to <Mono>{end.address}</Mono>
        </Quiet>
      )}
      {replies.map((r) => (
        <Row key={r.seq} reply={r} number={request.trace ? r.ttl : r.seq} />
      ))}
    </Box>
  );
}

function Row({ reply: r, number }: { reply: ProbeReply; number: number }) {
  const [open, setOpen] = useState(false);
  return (
    <Box borderTop="1px solid" borderColor="line">
      <chakra.button w="full" textAlign="left" py="4px" onClick={() => setOpen(!open)} aria-expanded={open}>
        <Flex gap={2}>
          <Quiet w="22px">{number}</Quiet>
          <Box flex={1}>
            {r.by ? (
              <>
                <b>{r.device ?? 'somebody'}</b> <Mono color="quiet">{r.by}</Mono>
                {r.as !== undefined && <Quiet> AS {r.as}</Quiet>}
                {r.answer !== 'echo reply' && (
                  <Box color={r.ok ? 'leaf' : 'quiet'}>{r.answer === 'refused' ? r.reason : r.answer}</Box>
                )}
              </>
            ) : (
              <Box color="brick">{r.reason}</Box>
            )}
          </Box>
          <Quiet whiteSpace="nowrap">{r.rtt !== undefined ? duration(r.rtt) : 'no answer'}</Quiet>
        </Flex>
      </chakra.button>
      {open && (
        <Box pl={6} pb={2} fontSize="12px">
          {r.steps.map((s, k) => (
            <Box key={k} py="1px" color={s.dropped ? 'brick' : undefined}>
              <Quiet>{duration(s.at)}</Quiet> <b>{s.device}</b>
              {s.as !== undefined && s.as !== r.steps[k - 1]?.as && <Quiet> AS {s.as}</Quiet>} {s.packet}:{' '}
              {s.did}
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}
