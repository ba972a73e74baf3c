import { Flex } from '@chakra-ui/react';
import { Aside, Plain } from '../../shared/parts/parts';
import { BriefText } from '../../views/checks/BriefText';

/** The lab's text for whoever opens it, beside the work. */
export function BriefPanel({ close }: { close: () => void }) {
  return (
    <Aside label="Brief" wide={340}>
      <Flex justify="flex-end" float="right" ml={2}>
        <Plain size="xs" h="22px" onClick={close} aria-label="Close the brief">
          close
        </Plain>
      </Flex>
      <BriefText />
    </Aside>
  );
}
