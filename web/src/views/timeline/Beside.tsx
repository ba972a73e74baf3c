import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import type { Action, ActionDetail, Chain } from '../../shared/api/client';
import { ask, type About } from '../../shared/api/questions';
import { useDrafting } from '../../shared/draft/drafting';
import { useFocus } from '../../shared/focus/focus';
import { Mono, Pick, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { duration, exact } from '../../shared/parts/words';
import { tint } from './tint';

const none = '';
const drafted = 'draft';

/** A critical path beside that of another action, or of the same one with the draft. */
export function Beside({
  d,
  actions,
  path,
  about,
}: {
  d: ActionDetail;
  actions: Action[];
  path: Chain;
  about: About;
}) {
  const { id } = useFocus();
  const { dirty, draft } = useDrafting();
  const [chosen, setChosen] = useState(none);
  const others = actions.filter((a) => a.seq !== d.seq && a.convergence !== null);
  const beside = chosen === drafted && !dirty ? none : chosen;
  const seq = beside === none || beside === drafted ? 0 : Number(beside);
  const other = useQuery(ask.criticalPath(id, seq, about));
  const trial = ask.criticalPathWith(id, { seq: d.seq, text: draft.text, ...about }, beside === drafted);
  const tried = useQuery(trial);
  if (others.length === 0 && !dirty) return null;
  const shown = beside === drafted ? tried : other;
  const far = shown.data?.path;
  const longest = Math.max(path.took, far?.took ?? 0);
  return (
    <Box mt={3} data-testid="beside">
      <Pick
        label="beside it"
        value={beside}
        onChange={setChosen}
        options={[
          [none, 'nothing'] as const,
          ...(dirty ? [[drafted, 'the same with the draft'] as const] : []),
          ...others.map((a) => [String(a.seq), `${a.seq}: ${a.action}`] as const),
        ]}
      />
      {beside !== none && shown.error && <Trouble error={shown.error} />}
      {beside === drafted && tried.isPending && (
        <Working what="doing it again with the draft" query={tried} of={trial.queryKey} />
      )}
      {beside !== none && shown.data && (
        <Flex gap={4} mt={2}>
          <Side title={path.action} path={path} of={longest} />
          {far ? (
            <Side title={beside === drafted ? 'with the draft' : far.action} path={far} of={longest} />
          ) : (
            <Quiet>Nothing was waited for there.</Quiet>
          )}
        </Flex>
      )}
    </Box>
  );
}

/** One of two paths: a bar to the same scale, and its links in short. */
function Side({ title, path, of }: { title: string; path: Chain; of: number }) {
  return (
    <Box flex={1} minW={0} role="group" aria-label={title}>
      <Flex gap={2} align="baseline">
        <b>{title}</b>
        <span title={exact(path.took)}>{duration(path.took)}</span>
      </Flex>
      <Box
        display="flex"
        h="10px"
        my={1}
        w={`${(path.took / of) * 100}%`}
        minW="6px"
        borderRadius="sm"
        overflow="hidden"
      >
        {path.links.map((l, i) => (
          <Box key={i} bg={tint(l)} opacity={i % 2 ? 0.75 : 1} flex={`${l.took / path.took} 0 1px`} />
        ))}
      </Box>
      {path.links.map((l, i) => (
        <Box key={i} fontSize="12px" borderTop="1px solid" borderColor="line" py="2px">
          <Box as="span" color={tint(l)} fontWeight="600" title={exact(l.took)}>
            {duration(l.took)}
          </Box>{' '}
          {l.device}: {l.says}
          {l.setting && (
            <>
              {' '}
              <Mono color="quiet">{l.setting}</Mono>
            </>
          )}
        </Box>
      ))}
    </Box>
  );
}
