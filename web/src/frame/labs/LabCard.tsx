import { Box, Flex } from '@chakra-ui/react';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import type { LabRow } from '../../shared/api/client';
import { Line, Main, Plain, Quiet } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { SmallMap } from './SmallMap';

export interface Uses {
  copy: () => void;
  rename: (title: string) => void;
  reset: () => void;
  remove: () => void;
}

type Asking = '' | 'rename' | 'reset' | 'delete';

/** A lab in the list: what it is about, and what can be done with it. */
export function LabCard({ lab, first = false, uses }: { lab: LabRow; first?: boolean; uses: Uses }) {
  const [asking, setAsking] = useState<Asking>('');
  const [name, setName] = useState(lab.title);
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.select(), [asking]);
  const untouched = lab.demo && lab.actions <= 1;
  return (
    <Flex
      as="li"
      bg="panel"
      border="1px solid"
      borderColor={first ? 'plum' : 'line'}
      borderRadius="md"
      px={4}
      py={3}
      gap={4}
      align="center"
      minW={0}
    >
      {lab.smallMap && (
        <Box asChild flexShrink={0} display={{ base: 'none', sm: 'block' }}>
          <Link to={`/lab/${lab.id}/map`} tabIndex={-1} aria-hidden="true">
            <SmallMap map={lab.smallMap} title={lab.title} />
          </Link>
        </Box>
      )}
      <Box flex={1} minW={0}>
        <Flex align="baseline" gap={2} wrap="wrap">
          {lab.lesson > 0 && (
            <Quiet fontSize="12px" aria-label={`lesson ${lab.lesson}`}>
              {lab.lesson}
            </Quiet>
          )}
          <Box asChild fontSize="15px" fontWeight="600" color="plum">
            <Link to={`/lab/${lab.id}/map`}>{lab.title}</Link>
          </Box>
          {first && (
            <Box bg="plum" color="onPlum" borderRadius="full" px={2} fontSize="11px" fontWeight="600">
              begin here
            </Box>
          )}
          {lab.difficulty && <Quiet fontSize="12px">{lab.difficulty}</Quiet>}
        </Flex>
        {lab.about && <Box>{lab.about}</Box>}
        <Box color="quiet" fontSize="12px">
          {[sizeOf(lab), lab.topics.join(', ')].filter((s) => s !== '').join(' · ')}
        </Box>
        <Box color="quiet" fontSize="12px">
          {[
            ...(lab.tasks > 0 ? [plural(lab.tasks, 'task')] : []),
            ...(lab.forkOf ? ['fork'] : []),
            untouched
              ? 'not begun'
              : `${plural(lab.actions, 'action')}, changed ${new Date(lab.updated).toLocaleString()}`,
          ].join(' · ')}
        </Box>
        {asking === 'rename' && (
          <Flex
            as="form"
            gap={2}
            mt={2}
            onSubmit={(e) => {
              e.preventDefault();
              uses.rename(name);
              setAsking('');
            }}
          >
            <Line aria-label="New title" value={name} ref={field} onChange={(e) => setName(e.target.value)} />
            <Main type="submit" disabled={name.trim() === '' || name === lab.title}>
              Rename
            </Main>
            <Plain onClick={() => setAsking('')}>Keep</Plain>
          </Flex>
        )}
        {asking === 'reset' && (
          <Sure
            ask="Put the text back, and forget what was done?"
            yes="Reset"
            go={uses.reset}
            no={() => setAsking('')}
          />
        )}
        {asking === 'delete' && (
          <Sure ask="Delete it with its history?" yes="Delete" go={uses.remove} no={() => setAsking('')} />
        )}
        {asking === '' && (
          <Flex gap={1} mt={1} ml="-8px" wrap="wrap">
            <Use of="Rename" lab={lab} go={() => setAsking('rename')} />
            <Use of="Copy" lab={lab} go={uses.copy} why="a new lab with the same text" />
            <Plain {...small} asChild title="text and journal in one archive, to be replayed elsewhere">
              <a href={`/api/labs/${lab.id}/bundle`} download aria-label={`Bundle of ${lab.title}`}>
                Bundle
              </a>
            </Plain>
            {lab.lesson > 0 && !untouched && (
              <Use
                of="Reset"
                lab={lab}
                go={() => setAsking('reset')}
                why="to the original: its text, and nothing done"
              />
            )}
            <Use of="Delete" lab={lab} go={() => setAsking('delete')} />
          </Flex>
        )}
      </Box>
    </Flex>
  );
}

const small = {
  size: 'xs',
  h: '24px',
  px: 2,
  fontSize: '12px',
  color: 'quiet',
  border: 'none',
  bg: 'transparent',
} as const;

function Use({ of, lab, go, why }: { of: string; lab: LabRow; go: () => void; why?: string }) {
  return (
    <Plain {...small} onClick={go} aria-label={`${of} ${lab.title}`} title={why}>
      {of}
    </Plain>
  );
}

function Sure({ ask, yes, go, no }: { ask: string; yes: string; go: () => void; no: () => void }) {
  return (
    <Flex gap={2} mt={2} align="center" wrap="wrap">
      <Box color="brick">{ask}</Box>
      <Plain
        color="brick"
        onClick={() => {
          no();
          go();
        }}
      >
        {yes}
      </Plain>
      <Plain onClick={no}>Keep</Plain>
    </Flex>
  );
}

/** "3 routers, 2 hosts, 5 links". */
function sizeOf(lab: LabRow): string {
  const parts: [number, string][] = [
    [lab.routers, 'router'],
    [lab.hosts, 'host'],
    [lab.links, 'link'],
  ];
  return parts
    .filter(([n]) => n > 0)
    .map(([n, what]) => plural(n, what))
    .join(', ');
}
