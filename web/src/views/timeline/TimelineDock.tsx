import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useRef, useState } from 'react';
import { type LabState } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { PlayBar, PlayButton } from '../../shared/play/PlayBar';
import { BeforeAfter } from './BeforeAfter';
import { Chart } from './Chart';
import { Legend } from './Legend';
import { currentAction } from '../../shared/focus/moment';

/** Drags move the moment in focus, at most this often. */
const dragEvery = 60;

/** The timeline below every view; it folds to one line: the last action and what it caused. */
export function TimelineDock({ lab, roomy }: { lab: LabState; roomy: boolean }) {
  const { id, focus, set } = useFocus();
  const [chosen, setOpen] = useState<boolean>();
  const open = chosen ?? roomy;
  const { seq, at } = currentAction(lab, focus.when);
  const detail = useQuery(ask.action(id, seq));
  const action = lab.actions[seq - 1];
  const drag = useDrag((t) => void set({ when: t.toFixed(6) }));
  return (
    <Box
      as="section"
      aria-label="Timeline"
      borderTop="1px solid"
      borderColor="line"
      bg="panel"
      flexShrink={0}
    >
      <PlayBar lab={lab} />
      <Flex px={3} h="34px" align="center" gap={3}>
        <chakra.button
          onClick={() => setOpen(!open)}
          aria-expanded={open}
          aria-label={open ? 'Hide the timeline' : 'Show the timeline'}
          color="quiet"
          fontSize="12px"
          w="44px"
          textAlign="left"
        >
          {open ? 'Hide' : 'Show'}
        </chakra.button>
        <Box truncate flex={1} data-testid="last-action">
          {action ? (
            <>
              <b>{action.action}</b>, {action.summary}
            </>
          ) : (
            'Nothing has been done yet.'
          )}
        </Box>
        <PlayButton lab={lab} />
        {action && lab.actions.length > 1 && <BeforeAfter seq={seq} actions={lab.actions.length} />}
      </Flex>
      {open && detail.data && (
        <Box
          maxH="190px"
          overflowY="auto"
          borderTop="1px solid"
          borderColor="line"
          tabIndex={0}
          role="region"
          aria-label="Events of the action"
        >
          <Box px={3} pt={1}>
            <Legend rows={detail.data.rows} />
          </Box>
          <Chart
            detail={detail.data}
            at={at}
            drag={drag}
            device={deviceOf(focus.who)}
            choose={(d) => void set({ who: d })}
            maxRows={40}
            moments={lab.moments}
          />
        </Box>
      )}
    </Box>
  );
}

/** Hands on the last of many calls, at most one a while. */
export function useDrag(move: (t: number) => void) {
  const state = useRef({ timer: 0, t: 0 });
  return (t: number) => {
    const s = state.current;
    s.t = t;
    if (s.timer) return;
    move(t);
    s.timer = window.setTimeout(() => {
      s.timer = 0;
      if (s.t !== t) move(s.t);
    }, dragEvery);
  };
}
