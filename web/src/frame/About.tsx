import { useQuery } from '@tanstack/react-query';
import { Box, Flex, Heading } from '@chakra-ui/react';
import { Link } from 'react-router';
import { ask } from '../shared/api/questions';
import { progressWords, sweepWords } from '../shared/failing/words';
import { Empty, Mono, Quiet, Trouble, Waiting } from '../shared/parts/parts';
import { Sheet, Td } from '../shared/parts/table';
import { plural } from '../shared/parts/words';
import { PageBar } from './PageBar';

/** How the server is doing: its version, who tries failures for it, what waits and what went wrong. */
export function About() {
  const about = useQuery(ask.about());
  const a = about.data;
  return (
    <Flex minH="100vh" direction="column">
      <PageBar title="About this server" />
      <Box as="main" maxW="1180px" w="full" mx="auto" px={6} py={5}>
        {about.error && <Trouble error={about.error} retry={() => void about.refetch()} />}
        {!a && !about.error && <Waiting what="asking the server" />}
        {a && (
          <>
            <Box mb={4}>
              Hellebore <b>{a.version}</b>, engine <b>{a.engine}</b>.{' '}
              <Quiet>
                The server’s own worker and any other of the same engine try the failures of its sweeps.
              </Quiet>
            </Box>
            <Part title="Workers">
              <Sheet
                label="Workers"
                heads={[
                  'worker',
                  'engine',
                  'slots',
                  'busy',
                  'shards done',
                  'failures tried',
                  'per second',
                  'since',
                ]}
                below={
                  a.workers.length === 0 && (
                    <Empty title="No worker">
                      Sweeps wait until one comes: start hellebore worker --database URL, or the server with
                      --sweepers 1.
                    </Empty>
                  )
                }
              >
                <tbody>
                  {a.workers.map((w) => (
                    <Box as="tr" key={w.id} borderTop="1px solid" borderColor="line" data-testid="worker">
                      <Td>
                        <Mono>{w.id}</Mono>
                        {w.says && <Box color="ochre">{w.says}</Box>}
                      </Td>
                      <Td color={w.engine === a.engine ? undefined : 'ochre'}>{w.engine}</Td>
                      <Td>{w.slots}</Td>
                      <Td>{w.busy}</Td>
                      <Td>{w.shards}</Td>
                      <Td>{w.failures}</Td>
                      <Td>{w.rate ? w.rate.toFixed(1) : ''}</Td>
                      <Td>{new Date(w.began).toLocaleString()}</Td>
                    </Box>
                  ))}
                </tbody>
              </Sheet>
            </Part>
            <Part title="Running sweeps">
              {a.queued > 0 && (
                <Quiet>
                  {plural(a.queued, 'shard')} {a.queued === 1 ? 'waits' : 'wait'} for a worker.
                </Quiet>
              )}
              {a.running.length === 0 && <Quiet>None.</Quiet>}
              {a.running.map((s) => (
                <Box key={s.id} py="3px">
                  <Box asChild color="plum" textDecoration="underline">
                    <Link to={`/lab/${s.lab}/failures`}>{s.title || s.lab}</Link>
                  </Box>{' '}
                  {progressWords(s)} <Quiet>{sweepWords(s)}</Quiet>
                </Box>
              ))}
            </Part>
            <Part title="Shards that failed lately">
              {a.failed.length === 0 && <Quiet>None.</Quiet>}
              {a.failed.map((f) => (
                <Box key={`${f.job} ${f.attempt}`} py="3px">
                  <Quiet>
                    {new Date(f.at).toLocaleTimeString()} job {f.job}, attempt {f.attempt}:
                  </Quiet>{' '}
                  {f.error}
                </Box>
              ))}
            </Part>
          </>
        )}
      </Box>
    </Flex>
  );
}

const Part = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <Box mb={5}>
    <Heading as="h2" fontSize="14px" mb={1}>
      {title}
    </Heading>
    {children}
  </Box>
);
