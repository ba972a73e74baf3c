import { Box, Flex, chakra } from '@chakra-ui/react';
import { useMutation, useQueryClient, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { http, unwrap } from '../shared/api/client';
import { ask, forgetLabs } from '../shared/api/questions';
import { Main, Mono, Plain, Quiet, Trouble, Waiting } from '../shared/parts/parts';
import { Sheet, Td } from '../shared/parts/table';

/** A lab that cannot be replayed: all that is kept of it is text, and can be taken from here. */
export function BrokenLab({ id, error }: { id: string; error: Error }) {
  const journal = useQuery(ask.journal(id));
  const client = useQueryClient();
  const navigate = useNavigate();
  const [chosen, setChosen] = useState(0); // the action whose text is shown; 0 for the latest
  const [sure, setSure] = useState(false);
  const create = useMutation({
    mutationFn: (text: string) => unwrap(http.POST('/api/labs', { body: { text } })),
    onSuccess: (l) => navigate(`/lab/${l.id}/text`),
  });
  const remove = useMutation({
    mutationFn: () => unwrap(http.DELETE('/api/labs/{id}', { params: { path: { id } } })),
    onSuccess: async () => {
      await forgetLabs(client);
      void navigate('/');
    },
  });
  const texts = journal.data?.filter((e) => e.text) ?? [];
  const shown = texts.find((e) => e.seq === chosen) ?? texts.at(-1);
  return (
    <Box maxW="1100px" mx="auto" px={6} py={8} as="main">
      <Trouble error={new Error(error.message)} /> {/* without the number once more */}
      <Flex gap={2} my={4} align="center" wrap="wrap">
        {shown && (
          <Main onClick={() => create.mutate(shown.text ?? '')} loading={create.isPending}>
            Go on from this text as a new lab
          </Main>
        )}
        <Plain asChild>
          <a href={`/api/labs/${id}/journal/bundle`} download>
            Save text and journal
          </a>
        </Plain>
        {sure ? (
          <>
            <Plain color="brick" onClick={() => remove.mutate()}>
              Delete it for good
            </Plain>
            <Plain onClick={() => setSure(false)}>Keep it</Plain>
          </>
        ) : (
          <Plain onClick={() => setSure(true)}>Delete the lab</Plain>
        )}
        <Box flex={1} />
        <Link to="/">All labs</Link>
      </Flex>
      {create.error && <Trouble error={create.error} />}
      {remove.error && <Trouble error={remove.error} />}
      {journal.isPending && <Waiting what="reading the journal" />}
      {journal.error && <Trouble error={journal.error} retry={() => void journal.refetch()} />}
      {journal.data && (
        <Flex gap={6} align="flex-start" wrap="wrap">
          <Box flex="1 1 340px" minW={0}>
            <Box as="h2" fontSize="15px" mb={1}>
              Journal
            </Box>
            <Sheet label="Journal" heads={['', 'action', 'done']}>
              <tbody>
                {journal.data.map((e) => (
                  <Box as="tr" key={e.seq} borderTop="1px solid" borderColor="line">
                    <Td>{e.seq}</Td>
                    <Td>
                      {e.text ? (
                        <chakra.button
                          color="plum"
                          textDecoration="underline"
                          aria-pressed={e.seq === shown?.seq}
                          fontWeight={e.seq === shown?.seq ? 700 : undefined}
                          onClick={() => setChosen(e.seq)}
                        >
                          {e.action}
                        </chakra.button>
                      ) : (
                        <Mono>{e.action}</Mono>
                      )}
                      {(e.message || e.author) && (
                        <Quiet display="block">{[e.message, e.author].filter(Boolean).join(', ')}</Quiet>
                      )}
                    </Td>
                    <Td whiteSpace="nowrap" color="quiet">
                      {new Date(e.made).toLocaleString()}
                    </Td>
                  </Box>
                ))}
              </tbody>
            </Sheet>
          </Box>
          {shown && (
            <Box flex="1 1 480px" minW={0}>
              <Box as="h2" fontSize="15px" mb={1}>
                Text of action {shown.seq}
              </Box>
              <Box
                as="pre"
                fontFamily="mono"
                fontSize="12px"
                bg="panel"
                border="1px solid"
                borderColor="line"
                borderRadius="md"
                p={3}
                overflow="auto"
                maxH="70vh"
              >
                {shown.text}
              </Box>
            </Box>
          )}
        </Flex>
      )}
    </Box>
  );
}
