import { Box, Flex, Grid, Heading, Text } from '@chakra-ui/react';
import { useMutation, useQueryClient, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { http, unwrap, type LabRow } from '../../shared/api/client';
import { useNewLab } from '../../shared/api/orders';
import { ask, forgetLabs } from '../../shared/api/questions';
import { Line, Main, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { forgetLooks } from '../../shared/focus/looks';
import { LabCard, type Uses } from './LabCard';
import { copyOf, titled } from './title';
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
  const create = useNewLab((l) => void navigate(`/lab/${l.id}/text`));
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
  const made = useNewLab((l) => void navigate(`/lab/${l.id}/map`));
  const copy = useMutation({
    mutationFn: async (id: string) => {
      const lab = await unwrap(http.GET('/api/labs/{id}', { params: { path: { id } } }));
      return made.mutateAsync(copyOf(lab.text));
    },
  });
  const rename = useMutation({
    mutationFn: async ({ id, title }: { id: string; title: string }) => {
      const lab = await unwrap(http.GET('/api/labs/{id}', { params: { path: { id } } }));
      return unwrap(
        http.POST('/api/labs/{id}/actions', {
          params: { path: { id } },
          body: { action: 'apply', text: titled(lab.text, title), base: lab.textSeq, message: 'renamed' },
        }),
      );
    },
    onSuccess: () => forgetLabs(client),
  });
  const reset = useMutation({
    mutationFn: (id: string) => unwrap(http.POST('/api/labs/{id}/reset', { params: { path: { id } } })),
    onSuccess: (_, id) => {
      forgetLooks(id);
      client.clear();
      return forgetLabs(client);
    },
  });
  const [wanted, setWanted] = useState('');
  const [over, setOver] = useState(false);
  const shown = labs.data?.filter((l) => found(l, wanted)) ?? [];
  const own = shown.filter((l) => l.lesson === 0);
  const lessons = shown.filter((l) => l.lesson > 0);
  // Where to begin: at the first lesson, until something was done.
  const begin = labs.data?.every((l) => l.actions <= 1)
    ? labs.data.find((l) => l.lesson === 1)?.id
    : undefined;
  const uses = (l: LabRow): Uses => ({
    copy: () => copy.mutate(l.id),
    rename: (title) => rename.mutate({ id: l.id, title }),
    reset: () => reset.mutate(l.id),
    remove: () => remove.mutate(l.id),
  });
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
      <Box maxW="1180px" mx="auto" px={6} py={8} as="main">
        <Flex align="center" gap={3} mb={6}>
          <Flower size={28} />
          <Heading as="h1" fontSize="22px">
            Hellebore
          </Heading>
          <Text color="quiet">configure, break and prove routing, in virtual time</Text>
          <Box flex={1} />
          <Plain asChild>
            <Link to="/guide">Guide</Link>
          </Plain>
          <Plain asChild>
            <Link to="/about">About this server</Link>
          </Plain>
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
        {rename.error && <Trouble error={rename.error} />}
        {reset.error && <Trouble error={reset.error} />}
        <Labs title="Your labs" labs={own} uses={uses} />
        <Labs title="Demo labs, in the order in which one learns" labs={lessons} uses={uses} begin={begin} />
        {labs.data?.length === 0 && <Text color="quiet">There is no lab yet.</Text>}
        {labs.data && labs.data.length > 0 && shown.length === 0 && (
          <Text color="quiet">No lab has that in its name, its topics or what it is about.</Text>
        )}
      </Box>
    </Box>
  );
}

/** A lab is found by its title, its topics, its difficulty and what it is about. */
const found = (l: LabRow, wanted: string) =>
  [l.title, l.about ?? '', l.difficulty ?? '', ...l.topics]
    .join(' ')
    .toLowerCase()
    .includes(wanted.trim().toLowerCase());

function Labs({
  title,
  labs,
  uses,
  begin,
}: {
  title: string;
  labs: LabRow[];
  uses: (l: LabRow) => Uses;
  begin?: string;
}) {
  if (labs.length === 0) return null;
  return (
    <Box as="section" aria-label={title} mb={6}>
      <Heading as="h2" fontSize="14px" mb={2}>
        {title}
      </Heading>
      <Grid
        as="ul"
        listStyleType="none"
        gap={2}
        templateColumns={{ base: 'minmax(0, 1fr)', lg: 'repeat(2, minmax(0, 1fr))' }}
        alignItems="stretch"
      >
        {labs.map((l) => (
          <LabCard key={l.id} lab={l} first={l.id === begin} uses={uses(l)} />
        ))}
      </Grid>
    </Box>
  );
}
