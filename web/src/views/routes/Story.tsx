import { useQuery } from '@tanstack/react-query';
import { Box } from '@chakra-ui/react';
import { type RouteStory } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { useFocus } from '../../shared/focus/focus';
import { Mono, Quiet, Trouble, Waiting } from '../../shared/parts/parts';

type Candidate = RouteStory['candidates'][number];

/** How a router came to its route: the candidates, who won, and why the others lost. */
export function Story({ device, to }: { device: string; to: string }) {
  const { id, focus } = useFocus();
  const story = useQuery(ask.story(id, focus.when, device, to));
  if (story.error) return <Trouble error={story.error} />;
  if (!story.data) return <Waiting what="asking the router" />;
  const s = story.data;
  return (
    <Box data-testid="story">
      <Box fontWeight="650" mb={2}>
        {s.answer}
      </Box>
      {s.candidates.map((c, i) => (
        <CandidateLine key={i} c={c} />
      ))}
      {s.also.map((a) => (
        <Box key={a} color="quiet" pl={3}>
          {a}
        </Box>
      ))}
      <Fixes fixes={s.fixes} />
    </Box>
  );
}

function CandidateLine({ c }: { c: Candidate }) {
  return (
    <Box
      display="flex"
      gap={2}
      py="3px"
      borderLeft="2px solid"
      borderColor={c.won ? 'leaf' : 'line'}
      pl={3}
      mb={1}
    >
      <Box flex={1}>
        <Box>
          <Box as="span" color={c.won ? 'leaf' : 'quiet'} fontWeight="650">
            {c.won ? 'chosen' : 'not chosen'}
          </Box>{' '}
          <Mono>{c.prefix}</Mono>{' '}
          {c.source === 'ospf' ? 'OSPF' : c.origin ? `taken from ${c.origin}` : c.source}
          {c.kind ? `, ${c.kind}` : ''}
          {c.blackhole
            ? ', blackhole'
            : c.beyond
              ? ', beyond the lab'
              : c.nextHops
                  .map((h) =>
                    h.via
                      ? `, ${h.to ? `${h.to} ` : ''}${h.via}${h.port ? ` on ${h.port}` : ''}`
                      : `, on ${h.port}`,
                  )
                  .join('')}
        </Box>
        <Quiet fontSize="12px">
          {c.why}; route preference {c.preference}
          {c.source === 'ospf' && `, cost ${c.metric}`}
          {c.costSum && c.costSum.length > 0 && ` = ${c.costSum.join(' + ')}`}
        </Quiet>
      </Box>
    </Box>
  );
}
