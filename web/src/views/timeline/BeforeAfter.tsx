import { Flex } from '@chakra-ui/react';
import { useFocus } from '../../shared/focus/focus';
import { Plain } from '../../shared/parts/parts';

/** Sets the moment in focus to just before an action, or to its end. */
export function BeforeAfter({ seq, actions }: { seq: number; actions: number }) {
  const { set } = useFocus();
  return (
    <Flex gap={1}>
      <Plain size="xs" h="24px" disabled={seq === 1} onClick={() => void set({ when: `before-${seq}` })}>
        before
      </Plain>
      <Plain size="xs" h="24px" onClick={() => void set({ when: seq === actions ? 'now' : `after-${seq}` })}>
        after
      </Plain>
      <Plain
        size="xs"
        h="24px"
        disabled={seq === 1}
        title="what is different before and after, in every view"
        onClick={() => void set({ since: `before-${seq}`, when: seq === actions ? 'now' : `after-${seq}` })}
      >
        compare
      </Plain>
    </Flex>
  );
}
