import { Box, Flex, chakra } from '@chakra-ui/react';
import type { LabState } from '../../shared/api/client';
import { useFocus } from '../../shared/focus/focus';
import { Plain, Quiet } from '../../shared/parts/parts';
import { momentWords } from '../../shared/focus/moment';
import { duration } from '../../shared/parts/words';
import { NameMoment } from './NameMoment';

/** The moments that have a name: to go to, to compare with, to name more. */
export function Moments({ lab }: { lab: LabState }) {
  const { id, focus, set } = useFocus();
  const named = lab.moments.some((m) => m.name === focus.when);
  return (
    <Flex gap={2} mb={3} align="center" wrap="wrap" data-testid="moments">
      <Quiet>Moments</Quiet>
      {lab.moments.map((m) => (
        <Flex
          key={m.name}
          align="center"
          bg={m.name === focus.when ? 'plumSoft' : 'panel'}
          border="1px solid"
          borderColor="line"
          borderRadius="full"
          px={3}
          gap={2}
        >
          <chakra.button fontWeight="600" onClick={() => void set({ when: m.name })}>
            {m.name}
          </chakra.button>
          <Quiet fontSize="11.5px">{duration(m.at)}</Quiet>
          {m.name !== focus.when && (
            <chakra.button
              color="plum"
              textDecoration="underline"
              fontSize="11.5px"
              title={`what is different between ${m.name} and ${momentWords(lab, focus.when)}`}
              onClick={() => void set({ since: m.name, when: focus.when })}
            >
              compare
            </chakra.button>
          )}
        </Flex>
      ))}
      {lab.moments.length === 0 && <Quiet>none has a name yet</Quiet>}
      <Box>
        <NameMoment id={id} when={focus.when} moments={lab.moments} />
      </Box>
      {named && (
        <Plain size="xs" h="22px" onClick={() => void set({ when: 'now' })}>
          back to now
        </Plain>
      )}
    </Flex>
  );
}
