import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { useAct } from '../api/orders';
import type { Fix } from '../api/client';
import { useFocus } from '../focus/focus';
import { Mono, Quiet } from '../parts/parts';
import { useDrafting, useHands } from './drafting';

/** How many ways are shown at once. */
const shownAtOnce = 3;

/** The ways to mend what is wrong: each writes its lines into the draft, or does an action. */
export function Fixes({ fixes }: { fixes: Fix[] | undefined }) {
  const [all, setAll] = useState(false);
  if (!fixes || fixes.length === 0) return null;
  const shown = all ? fixes : fixes.slice(0, shownAtOnce);
  return (
    <Flex gap={1} wrap="wrap" align="center" mt={1} data-testid="fixes">
      {shown.map((f, i) => (
        <OneFix key={keyOf(f)} fix={f} first={i === 0} />
      ))}
      {fixes.length > shown.length && (
        <chakra.button color="plum" textDecoration="underline" fontSize="11.5px" onClick={() => setAll(true)}>
          {fixes.length - shown.length} more
        </chakra.button>
      )}
    </Flex>
  );
}

/** What tells two fixes apart. */
export const keyOf = (f: Fix) => [...(f.edits ?? []), f.action ?? '', f.why ?? ''].join('\n');

function OneFix({ fix, first }: { fix: Fix; first: boolean }) {
  const { id } = useFocus();
  const { edit, past } = useHands();
  const act = useAct(id);
  const [written, setWritten] = useState<string>(); // the text that it made
  const [error, setError] = useState('');
  if (fix.why) return <Quiet fontSize="12px">It cannot be written for you: {fix.why}.</Quiet>;
  const edits = fix.edits ?? [];
  const mend = () => {
    setError('');
    if (edits.length === 0 && fix.action) {
      act.mutate({ action: fix.action });
      return;
    }
    edit(...edits).then(setWritten, (e: unknown) =>
      setError(e instanceof Error ? e.message : 'It cannot be made.'),
    );
  };
  const words = edits.length > 0 ? edits : [fix.action ?? ''];
  return (
    <Box>
      <chakra.button
        px={2}
        py="1px"
        bg="raised"
        border="1px solid"
        borderColor={first ? 'plum' : 'line'}
        borderRadius="sm"
        textAlign="left"
        disabled={past}
        opacity={past ? 0.6 : 1}
        title={past ? 'Go back to now to change it.' : words.join('\n')}
        onClick={mend}
      >
        {first && (
          <Box as="span" color="plum" fontWeight="650" fontSize="12px" mr={2}>
            Fix
          </Box>
        )}
        <Mono>{words.slice(0, 2).join('; ')}</Mono>
        {words.length > 2 && <Quiet fontSize="11.5px"> and {words.length - 2} more</Quiet>}
      </chakra.button>
      {written !== undefined && <Taken after={written} />}
      {edits.length > 0 && fix.action && <Then action={fix.action} waits={written} />}
      {(error || act.error) && (
        <Box color="brick" fontSize="12px" role="alert">
          {error || act.error?.message}
        </Box>
      )}
    </Box>
  );
}

/** That a fix is in the draft, as long as it is; the last one can be undone here. */
function Taken({ after }: { after: string }) {
  const { draft, dirty, undo } = useDrafting();
  if (!dirty) return null;
  return (
    <Quiet ml={2} fontSize="11.5px">
      in the draft
      {after === draft.text && undo && (
        <chakra.button ml={2} color="plum" textDecoration="underline" onClick={undo}>
          undo
        </chakra.button>
      )}
    </Quiet>
  );
}

/** What is to be done once the edits of a fix are applied. */
function Then({ action, waits }: { action: string; waits: string | undefined }) {
  const { id } = useFocus();
  const { past } = useHands();
  const { dirty } = useDrafting();
  const act = useAct(id);
  return (
    <chakra.button
      ml={2}
      color="plum"
      textDecoration="underline"
      textAlign="left"
      fontSize="11.5px"
      disabled={past || (waits !== undefined && dirty)}
      onClick={() => act.mutate({ action })}
    >
      and once it is applied: {action}
    </chakra.button>
  );
}
