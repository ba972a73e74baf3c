import { Box, Flex, Heading } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { ask } from '../../shared/api/questions';
import { Empty, Quiet } from '../../shared/parts/parts';
import { PageBar } from '../PageBar';
import { Markdown } from './Markdown';
import { pages, reference } from './pages';

/** The guide: a page for each job, and the reference of the language. */
export default function GuideView() {
  const { page = pages[0]?.name } = useParams();
  const labs = useQuery(ask.labs());
  const all = [...pages, reference];
  const at = all.findIndex((p) => p.name === page);
  const shown = all[at];
  const next = pages[at + 1];
  return (
    <Flex minH="100vh" direction="column">
      <PageBar title="Guide" />
      <Flex flex={1} align="stretch">
        <Box
          as="nav"
          aria-label="Pages of the guide"
          w="230px"
          flexShrink={0}
          p={3}
          bg="panel"
          borderRight="1px solid"
          borderColor="line"
        >
          {all.map((p, i) => (
            <Box key={p.name}>
              {p === reference && (
                <Heading as="h2" fontSize="12px" color="quiet" fontWeight="500" mt={4} mb={1} px={2}>
                  Reference
                </Heading>
              )}
              <Box
                asChild
                display="block"
                px={2}
                py="5px"
                borderRadius="md"
                fontWeight={i === at ? 650 : 400}
                bg={i === at ? 'chosen' : undefined}
                _hover={{ bg: 'chosen' }}
              >
                <Link to={`/guide/${p.name}`} aria-current={i === at ? 'page' : undefined}>
                  {p.title}
                </Link>
              </Box>
            </Box>
          ))}
        </Box>
        <Box as="main" flex={1} minW={0} px={8} py={6} maxW="1100px">
          {shown ? (
            <Markdown text={shown.text} labs={labs.data ?? []} />
          ) : (
            <Empty title="There is no such page">Choose one on the left.</Empty>
          )}
          {next && (
            <Box mt={6}>
              <Quiet>Next: </Quiet>
              <Box asChild color="plum" textDecoration="underline">
                <Link to={`/guide/${next.name}`}>{next.title}</Link>
              </Box>
            </Box>
          )}
        </Box>
      </Flex>
    </Flex>
  );
}
