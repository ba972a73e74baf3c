import { Box, Flex, Heading, Text } from '@chakra-ui/react';
import { useMutation, useQueryClient, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { http, unwrap, type LabRow } from '../../shared/api/client';
import { ask, forgetLabs } from '../../shared/api/questions';
import { Line, Main, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { copyOf } from './copyOf';
import { readText } from './readText';
import { Flower } from '../Flower';
import { toggleScheme } from '../scheme';

const blank =
  'lab "New lab"\n\n# Begin with a router and its ports; the editor completes what can be written.\n\nrouter depot\n  loopback lo 10.255.0.1/32\n';

/** All labs, and the ways to make one. */
export function LabsPage() {
  const labs = useQuery(ask.labs());
  const client = useQueryClient();
  const navigate = useNavigate();
  const create = useMutation({
    mutationFn: (text: string) => unwrap(http.POST('/api/labs', { body: { text } })),
    onSuccess: (l) => navigate(`/lab/${l.id}/text`),
  });
  const replay = useMutation({
    mutationFn: async (file: File) =>
      unwrap(
        http.POST('/api/bundles', {
          body: file as unknown as string,
          bodySerializer: (b) => b as unknown as BodyInit,
          headers: { 'Content-Type': 'application/zip' },
        }),
      ),
    onSuccess: (l) => navigate(`/lab/${l.id}/map`),
  });
  const remove = useMutation({
    mutationFn: (id: string) => unwrap(http.DELETE('/api/labs/{id}', { params: { path: { id } } })),
    onSuccess: () => forgetLabs(client),
  });
  const copy = useMutation({
    mutationFn: async (id: string) => {
      const lab = await unwrap(http.GET('/api/labs/{id}', { params: { path: { id } } }));
      return unwrap(http.POST('/api/labs', { body: { text: copyOf(lab.text) } }));
    },
    onSuccess: (l) => navigate(`/lab/${l.id}/map`),
  });
  const [wanted, setWanted] = useState('');
  const [over, setOver] = useState(false);
  const shown = labs.data?.filter((l) => l.title.toLowerCase().includes(wanted.trim().toLowerCase()));
  const open = async (file: File | undefined) => {
    if (!file) return;
    if (file.name.endsWith('.zip')) replay.mutate(file);
    else create.mutate(await readText(file));
  };
  return (
    <Box
      minH="100vh"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        void open(e.dataTransfer.files[0]);
      }}
      outline={over ? '3px dashed' : undefined}
      outlineColor="plum"
      outlineOffset="-8px"
      data-testid="labs-page"
    >
      <Box maxW="900px" mx="auto" px={6} py={8} as="main">
        <Flex align="center" gap={3} mb={6}>
          <Flower size={28} />
          <Heading as="h1" fontSize="22px">
            Hellebore
          </Heading>
          <Text color="quiet">configure, break and prove routing, in virtual time</Text>
          <Box flex={1} />
          <Plain onClick={toggleScheme}>Theme</Plain>
        </Flex>
        <Flex gap={2} mb={4} align="center">
          <Main onClick={() => create.mutate(blank)} loading={create.isPending}>
            New lab
          </Main>
          <Plain asChild>
            <label>
              Open a lab text or a bundle
              <input
                type="file"
                accept=".lab,.zip,text/plain,application/zip"
                style={{ position: 'absolute', width: 1, height: 1, opacity: 0 }}
                onChange={(e) => void open(e.target.files?.[0])}
              />
            </label>
          </Plain>
          <Quiet>or drop one here</Quiet>
          <Box flex={1} />
          {(labs.data?.length ?? 0) > 5 && (
            <Line
              type="search"
              aria-label="Find a lab"
              placeholder="find a lab"
              value={wanted}
              onChange={(e) => setWanted(e.target.value)}
              flex="0 1 200px"
            />
          )}
        </Flex>
        {create.error && <Trouble error={create.error} />}
        {replay.isPending && <Waiting what="replaying the bundle" />}
        {replay.error && <Trouble error={replay.error} />}
        {remove.error && <Trouble error={remove.error} />}
        {copy.error && <Trouble error={copy.error} />}
        {labs.isPending && <Waiting what="reading the list of labs" />}
        {labs.error && <Trouble error={labs.error} retry={() => void labs.refetch()} />}
        <Flex direction="column" gap={2} as="ul" listStyleType="none" aria-label="Labs">
          {shown?.map((l) => (
            <LabCard key={l.id} lab={l} copy={() => copy.mutate(l.id)} remove={() => remove.mutate(l.id)} />
          ))}
        </Flex>
        {labs.data?.length === 0 && <Text color="quiet">There is no lab yet.</Text>}
        {labs.data && labs.data.length > 0 && shown?.length === 0 && (
          <Text color="quiet">No lab has that name.</Text>
        )}
      </Box>
    </Box>
  );
}

function LabCard({ lab, copy, remove }: { lab: LabRow; copy: () => void; remove: () => void }) {
  const [asking, setAsking] = useState(false);
  return (
    <Flex
      as="li"
      bg="panel"
      border="1px solid"
      borderColor="line"
      borderRadius="md"
      px={4}
      py={3}
      align="center"
      gap={3}
    >
      <Box flex={1} minW={0}>
        <Box asChild fontSize="15px" fontWeight="600" color="plum">
          <Link to={`/lab/${lab.id}/map`}>{lab.title}</Link>
        </Box>
        <Box color="quiet" fontSize="12px">
          {lab.demo ? 'demo lab, ' : lab.forkOf ? 'fork, ' : ''}
          {plural(lab.actions, 'action')}, changed {new Date(lab.updated).toLocaleString()}
        </Box>
      </Box>
      {asking ? (
        <>
          <Box color="brick">Delete it with its history?</Box>
          <Plain onClick={remove} color="brick">
            Delete
          </Plain>
          <Plain onClick={() => setAsking(false)}>Keep</Plain>
        </>
      ) : (
        <>
          <Plain onClick={copy} aria-label={`Copy ${lab.title}`} title="a new lab with the same text">
            Copy
          </Plain>
          <Plain asChild title="text and journal in one archive, to be replayed elsewhere">
            <a href={`/api/labs/${lab.id}/bundle`} download aria-label={`Bundle of ${lab.title}`}>
              Bundle
            </a>
          </Plain>
          <Plain onClick={() => setAsking(true)} aria-label={`Delete ${lab.title}`}>
            Delete
          </Plain>
        </>
      )}
    </Flex>
  );
}
