import { Flex } from '@chakra-ui/react';
import { Link } from 'react-router';
import { Flower } from './Flower';

/** The mark and the name, at the left of every page's header: they lead to the list of labs. */
export const Brand = () => (
  <Flex asChild align="center" gap={2} fontWeight="700" fontSize="15px" flexShrink={0}>
    <Link to="/" title="All labs">
      <Flower /> Hellebore
    </Link>
  </Flex>
);
