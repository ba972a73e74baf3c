import { Flex } from '@chakra-ui/react';
import { Aside, Plain } from '../../shared/parts/parts';
import { BriefText } from '../../views/checks/BriefText';

/** The lab's text for whoever opens it, beside the work: as wide as the explanation that takes its place. */
export function BriefPanel({ close }: { close: () => void }) {
  return (
    <Aside label="Brief" wide={300}>
      <Flex justify="flex-end" float="right" ml={2}>
        <Plain size="xs" h="22px" onClick={close} aria-label="Close the brief">
          close
        </Plain>
      </Flex>
      <BriefText />
    </Aside>
  );
}
