import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { type Action, type ActionDetail, type Chain, type Shortening } from '../../shared/api/client';
import { ask, type About } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { useFocus } from '../../shared/focus/focus';
import { Choice, Mono, Plain, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { Sheet, Td } from '../../shared/parts/table';
import { duration, exact, plural } from '../../shared/parts/words';
import { Beside } from './Beside';
import { tint } from './tint';

/** What a convergence waited for, link by link, and what would shorten it. */
export function CriticalPath({
  d,
  actions,
  about,
  choose,
  goto,
  asked = true,
  ask: begin,
}: {
  d: ActionDetail;
  actions: Action[];
  about: About;
  choose: (about: About) => void;
  goto: (line: number) => void;
  /** The path is asked for; else ask does it. */
  asked?: boolean;
  ask?: () => void;
}) {
  const { id } = useFocus();
  const out = d.flows.filter((f) => f.outages.length > 0);
  const found = useQuery({ ...ask.criticalPath(id, d.seq, about), enabled: asked });
  if (d.convergence === null) return null;
  const path = found.data?.path;
  const query = new URLSearchParams(about).toString();
  const href = (format: string) =>
    `/api/labs/${id}/actions/${d.seq}/critical-path/${format}${query ? `?${query}` : ''}`;
  return (
    <Box as="section" mb={5} data-testid="critical-path" aria-label="What it waited for">
      <Flex align="center" gap={3} mb={2} wrap="wrap">
        <Box as="h3" fontSize="13px">
          What it waited for
        </Box>
        {(out.length > 0 || about.from) && (
          <Flex gap={1} wrap="wrap">
            <Choice on={!query} onClick={() => choose({})}>
              Last change of all
            </Choice>
            {out.map((f) => (
              <Choice key={f.name} on={about.flow === f.name} onClick={() => choose({ flow: f.name })}>
                {f.name}
              </Choice>
            ))}
            {about.from && (
              <Choice on onClick={() => choose({})}>
                {about.from} to {about.to}
              </Choice>
            )}
          </Flex>
        )}
        <Box flex={1} />
        {path && (
          <Quiet fontSize="12px">
            {(['md', 'csv'] as const).map((f) => (
              <Box key={f} asChild color="plum" textDecoration="underline" ml={3}>
                <a href={href(f)} download>
                  {f === 'md' ? 'Markdown' : 'CSV'}
                </a>
              </Box>
            ))}
          </Quiet>
        )}
      </Flex>
      {found.error && <Trouble error={found.error} />}
      {!asked && (
        <Plain
          size="xs"
          h="26px"
          onClick={begin}
          title="the action is done again on a copy: with many devices that takes a while"
        >
          Follow the causes
        </Plain>
      )}
      {asked && found.isPending && (
        <Working what="following the causes" query={found} of={ask.criticalPath(id, d.seq, about).queryKey} />
      )}
      {found.data && !path && <Quiet>The action itself decided that: nothing was waited for.</Quiet>}
      {path && <Links path={path} goto={goto} />}
      {path && <Shorter key={`${d.seq} ${query}`} seq={d.seq} about={about} took={path.took} />}
      {path && <Beside key={`${d.seq} ${query} beside`} d={d} actions={actions} path={path} about={about} />}
    </Box>
  );
}

function Links({ path, goto }: { path: Chain; goto: (line: number) => void }) {
  return (
    <>
      <Box fontSize="12.5px" mb={2}>
        {path.says}.
      </Box>
      <Box display="flex" h="12px" borderRadius="sm" overflow="hidden" mb={2} aria-hidden>
        {path.links.map((l, i) => (
          <Box
            key={i}
            bg={tint(l)}
            opacity={i % 2 ? 0.75 : 1}
            flex={`${l.took / path.took} 0 2px`}
            title={`${duration(l.took)}: ${l.says}`}
          />
        ))}
      </Box>
      <Sheet label="Critical path" heads={['from', 'took', 'where', 'what was waited for', 'then']} mb={2}>
        <tbody>
          <tr>
            <Td color="quiet">0</Td>
            <Td />
            <Td />
            <Td fontWeight="600">{path.action}</Td>
            <Td>
              <Happened list={path.begins} />
            </Td>
          </tr>
          {path.links.map((l, i) => (
            <Box as="tr" key={i} borderTop="1px solid" borderColor="line">
              <Td color="quiet" whiteSpace="nowrap">
                <span title={exact(l.from)}>{duration(l.from)}</span>
              </Td>
              <Td whiteSpace="nowrap" fontWeight={l.took >= path.took / 4 ? 700 : 400} color={tint(l)}>
                <span title={exact(l.took)}>{duration(l.took)}</span>
              </Td>
              <Td whiteSpace="nowrap">{l.port && l.setting ? `${l.device}.${l.port}` : l.device}</Td>
              <Td>
                {l.says}
                {l.packets > 1 && <Quiet>, {plural(l.packets, 'packet')} one after the other</Quiet>}
                {l.early && <Quiet>; it had begun before the action</Quiet>}
                {l.setting ? (
                  <Box>
                    <chakra.button
                      color="plum"
                      textDecoration="underline"
                      textAlign="left"
                      disabled={l.line === 0}
                      title="to its line in the text"
                      onClick={() => goto(l.line)}
                    >
                      <Mono fontSize="11.5px">{l.setting}</Mono>
                    </chakra.button>
                  </Box>
                ) : (
                  l.rfc && (
                    <Quiet display="block" fontSize="11.5px">
                      RFC {l.rfc}
                    </Quiet>
                  )
                )}
              </Td>
              <Td>
                <Happened list={l.then} />
              </Td>
            </Box>
          ))}
        </tbody>
      </Sheet>
    </>
  );
}

const Happened = ({ list }: { list: string[] }) =>
  list.map((s) => (
    <Box key={s} fontSize="12px">
      {s}
    </Box>
  ));

/** Edits that were tried on a copy, the one that shortens it most first. */
function Shorter({ seq, about, took }: { seq: number; about: About; took: number }) {
  const { id } = useFocus();
  const [wanted, setWanted] = useState(false);
  const query = ask.shortenings(id, seq, about);
  const tried = useQuery({ ...query, enabled: wanted });
  if (!wanted)
    return (
      <Plain size="xs" h="26px" onClick={() => setWanted(true)}>
        What would shorten it?
      </Plain>
    );
  return (
    <Box data-testid="shorter">
      <Box as="h4" fontSize="13px" fontWeight="650" mb={1}>
        What would shorten it
      </Box>
      {tried.error && <Trouble error={tried.error} />}
      {tried.isPending && (
        <Working what="trying edits on copies of the lab" query={tried} of={query.queryKey} />
      )}
      {tried.data?.length === 0 && (
        <Quiet>No setting of this lab: what it waited for is fixed, or on its way over the links.</Quiet>
      )}
      {tried.data?.map((s) => (
        <One key={s.edits.join('\n')} s={s} took={took} />
      ))}
    </Box>
  );
}

function One({ s, took }: { s: Shortening; took: number }) {
  const better = s.after < took;
  return (
    <Flex gap={3} py={1} align="baseline" wrap="wrap" borderTop="1px solid" borderColor="line">
      <Box w="170px" color={better ? 'leaf' : 'quiet'} fontWeight="650">
        <span title={exact(s.after)}>{duration(s.after)}</span>{' '}
        <Quiet fontWeight="400">instead of {duration(took)}</Quiet>
      </Box>
      <Box flex={1} minW="260px">
        {s.says}
        <Quiet>
          {s.packets === 0 && s.lsas === 0
            ? ', at no cost while nothing happens'
            : `, for ${s.packets.toFixed(1)} packets a second more${s.lsas ? ` and ${plural(s.lsas, 'LSA')} more` : ''}`}
        </Quiet>
        <Fixes fixes={[{ edits: s.edits }]} />
      </Box>
    </Flex>
  );
}
