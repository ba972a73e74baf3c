import { Box, Flex } from '@chakra-ui/react';
import { Plain, Quiet } from '../shared/parts/parts';
import { Brand } from './Brand';
import { toggleScheme } from './scheme';

/** The bar above a page that is of no lab. */
export const PageBar = ({ title }: { title: string }) => (
  <Flex
    as="header"
    h="52px"
    px={4}
    gap={3}
    align="center"
    bg="panel"
    borderBottom="1px solid"
    borderColor="line"
    flexShrink={0}
  >
    <Brand />
    <Quiet>{title}</Quiet>
    <Box flex={1} />
    <Plain onClick={toggleScheme}>Theme</Plain>
  </Flex>
);
