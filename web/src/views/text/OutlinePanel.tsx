import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { Block } from '../../shared/api/client';
import { Line, Main, Mono, Plain, Quiet, Trouble } from '../../shared/parts/parts';
import { copyRouter, mustDiffer, edited } from '../../shared/draft/edits';

interface Props {
  blocks: Block[];
  text: string;
  change: (text: string) => void;
  goto: (line: number) => void;
  /** Shows where the name in a line is. */
  uses: (line: number, column: number) => void;
  /** Shows blocks side by side. */
  beside: (names: string[]) => void;
  readOnly: boolean;
}

/** The text's blocks: to go to, to mark for the same statement, to see side by side, to copy. */
export function OutlinePanel({ blocks, text, change, goto, uses, beside, readOnly }: Props) {
  const [filter, setFilter] = useState('');
  const [marked, setMarked] = useState<string[]>([]);
  const [copying, setCopying] = useState('');
  const [open, setOpen] = useState<string[]>([]);
  const targets = targetsOf(blocks);
  const live = marked.filter((m) => targets.includes(m));
  const toggle = (name: string) =>
    setMarked(marked.includes(name) ? marked.filter((m) => m !== name) : [...marked, name]);
  const seen = blocks.filter(
    (b) =>
      !filter ||
      `${b.kind} ${b.name}`.includes(filter) ||
      b.parts.some((p) => `${b.name}.${p.name}`.includes(filter)),
  );
  const matching = targets.filter((t) => filter !== '' && t.includes(filter));
  return (
    <Box>
      <Flex gap={2} mb={2}>
        <Line
          aria-label="Filter the outline"
          placeholder="filter: via, .e1, policy"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
        />
        {matching.length > 0 && (
          <Plain size="xs" h="28px" onClick={() => setMarked([...new Set([...live, ...matching])])}>
            mark {matching.length}
          </Plain>
        )}
      </Flex>
      {live.length > 0 && (
        <Marked
          marked={live}
          clear={() => setMarked([])}
          text={text}
          change={change}
          readOnly={readOnly}
          beside={() =>
            beside(
              [...new Set(live.map((m) => m.split('.')[0] ?? ''))].slice(0, window.innerWidth < 1500 ? 3 : 4),
            )
          }
        />
      )}
      {copying && (
        <Copy key={copying} router={copying} text={text} change={change} close={() => setCopying('')} />
      )}
      {seen.map((b) => {
        const device = b.kind === 'router' || b.kind === 'host';
        const key = `${b.kind} ${b.name}`;
        return (
          <Box key={`${key} ${b.line}`} data-testid="block">
            <Flex gap={2} align="center" minH="26px">
              {device ? (
                <input
                  type="checkbox"
                  aria-label={`Mark ${b.name}`}
                  checked={live.includes(b.name)}
                  onChange={() => toggle(b.name)}
                />
              ) : (
                <Box w="13px" />
              )}
              <chakra.button
                textAlign="left"
                flex={1}
                minW={0}
                minH="24px"
                truncate
                onClick={() => goto(b.line)}
              >
                <Quiet>{b.kind}</Quiet> <b>{b.name}</b>
              </chakra.button>
              {b.name !== '' && b.kind !== 'link' && b.kind !== 'lab' && (
                <chakra.button
                  color="plum"
                  fontSize="11.5px"
                  minH="24px"
                  minW="24px"
                  title="Uses, and rename (F2 in the text)"
                  onClick={() => uses(b.line, b.kind.length + 3)}
                >
                  uses
                </chakra.button>
              )}
              {b.kind === 'router' && (
                <>
                  <chakra.button
                    color="quiet"
                    fontSize="11.5px"
                    minH="24px"
                    minW="28px"
                    aria-expanded={open.includes(b.name)}
                    onClick={() =>
                      setOpen(open.includes(b.name) ? open.filter((o) => o !== b.name) : [...open, b.name])
                    }
                  >
                    {open.includes(b.name) ? 'Hide' : 'Ports'}
                  </chakra.button>
                  <chakra.button
                    color="plum"
                    fontSize="11.5px"
                    minH="24px"
                    minW="24px"
                    disabled={readOnly}
                    onClick={() => setCopying(b.name)}
                  >
                    copy
                  </chakra.button>
                </>
              )}
              <Quiet fontSize="11px">{b.line}</Quiet>
            </Flex>
            {open.includes(b.name) &&
              b.parts
                .filter((p) => p.kind === 'port' || p.kind === 'loopback')
                .map((p) => (
                  <Flex key={p.line} gap={2} pl={6} align="center" minH="26px">
                    <input
                      type="checkbox"
                      aria-label={`Mark ${b.name}.${p.name}`}
                      checked={live.includes(`${b.name}.${p.name}`)}
                      onChange={() => toggle(`${b.name}.${p.name}`)}
                    />
                    <chakra.button textAlign="left" flex={1} minH="24px" onClick={() => goto(p.line)}>
                      <Quiet>{p.kind}</Quiet> <Mono>{p.name}</Mono>
                    </chakra.button>
                  </Flex>
                ))}
          </Box>
        );
      })}
    </Box>
  );
}

/** Routers and ports that a statement can be written to. */
const targetsOf = (blocks: Block[]) =>
  blocks
    .filter((b) => b.kind === 'router' || b.kind === 'host')
    .flatMap((b) => [
      b.name,
      ...b.parts.filter((p) => p.kind === 'port' || p.kind === 'loopback').map((p) => `${b.name}.${p.name}`),
    ]);

interface MarkedProps {
  marked: string[];
  clear: () => void;
  text: string;
  change: (text: string) => void;
  beside: () => void;
  readOnly: boolean;
}

/** What can be done with the marked routers and ports. */
function Marked({ marked, clear, text, change, beside, readOnly }: MarkedProps) {
  const [statement, setStatement] = useState('');
  const [error, setError] = useState<unknown>();
  const write = () => {
    setError(undefined);
    edited(text, text, `${marked.join(', ')} ${statement}`).then((e) => {
      change(e.text);
      setStatement('');
    }, setError);
  };
  return (
    <Box bg="plumSoft" borderRadius="md" p={2} mb={2}>
      <Flex gap={2} align="center" mb={1}>
        <Box flex={1} fontSize="12px" overflowWrap="anywhere">
          {marked.length} marked: {marked.slice(0, 6).join(', ')}
          {marked.length > 6 && ' ...'}
        </Box>
        <Plain size="xs" h="22px" onClick={clear}>
          none
        </Plain>
      </Flex>
      <chakra.textarea
        aria-label="Statement for all that are marked"
        placeholder="one statement for all of them: cost 20"
        rows={2}
        value={statement}
        onChange={(e) => setStatement(e.target.value)}
        w="full"
        px={2}
        py={1}
        fontFamily="mono"
        fontSize="12px"
        bg="raised"
        border="1px solid"
        borderColor="line"
        borderRadius="sm"
        _placeholder={{ color: 'quiet', fontFamily: 'body' }}
      />
      <Flex gap={2}>
        <Main size="xs" h="24px" disabled={statement.trim() === '' || readOnly} onClick={write}>
          Write it to all
        </Main>
        <Plain size="xs" h="24px" onClick={beside}>
          Side by side
        </Plain>
      </Flex>
      {error !== undefined && <Trouble error={error} />}
    </Box>
  );
}

interface CopyProps {
  router: string;
  text: string;
  change: (text: string) => void;
  close: () => void;
}

/** A copy of a router: asks for the names and addresses that must differ. */
function Copy({ router, text, change, close }: CopyProps) {
  const [rows, setRows] = useState<{ what: string; value: string; suggest: string }[]>();
  const [error, setError] = useState<unknown>();
  const [asked, setAsked] = useState(false);
  if (!asked) {
    setAsked(true);
    mustDiffer(text, router).then(setRows, setError);
  }
  return (
    <Box bg="plumSoft" borderRadius="md" p={2} mb={2}>
      <Box fontWeight="600" mb={1}>
        A copy of {router} with
      </Box>
      {rows?.map((r, i) => (
        <chakra.label key={r.what} display="flex" gap={2} alignItems="center" mb={1} fontSize="12px">
          <Box w="110px">{r.what}</Box>
          <Line
            value={r.suggest}
            aria-label={r.what}
            onChange={(e) => setRows(rows.map((x, k) => (k === i ? { ...x, suggest: e.target.value } : x)))}
            h="24px"
            fontFamily="mono"
          />
        </chakra.label>
      ))}
      <Flex gap={2}>
        <Main
          size="xs"
          h="24px"
          disabled={!rows}
          onClick={() =>
            void copyRouter(
              text,
              router,
              Object.fromEntries((rows ?? []).map((r) => [r.value, r.suggest])),
            ).then((t) => {
              change(t);
              close();
            }, setError)
          }
        >
          Copy
        </Main>
        <Plain size="xs" h="24px" onClick={close}>
          Leave it
        </Plain>
      </Flex>
      {error !== undefined && <Trouble error={error} />}
    </Box>
  );
}
