import { Box, Flex, chakra } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { http, unwrap } from '../../shared/api/client';
import { useDrafting, useHands } from '../../shared/draft/drafting';
import { Key, Plain, Quiet } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';

/** What a click on the map adds; '' for nothing. */
export type Tool = '' | 'router' | 'host' | 'segment' | 'shape';

const tools: [Exclude<Tool, ''>, string, string][] = [
  ['router', 'Router', '1'],
  ['host', 'Host', '2'],
  ['segment', 'Segment', '3'],
  ['shape', 'Shape', '4'],
];

/** What can be set on all ports between chosen routers. */
const settings = ['area', 'cost', 'hello-interval', 'dead-interval', 'keys'] as const;

const shapes = ['ring', 'line', 'star', 'mesh', 'grid', 'tiers'] as const;

interface Props {
  tool: Tool;
  setTool: (t: Tool) => void;
  shape: string;
  setShape: (s: string) => void;
  error: string;
  /** What can be chosen at once: "all", "area 1", "AS 64500", and the cards of each. */
  groups: [string, string[]][];
  choose: (cards: string[]) => void;
}

/** The tools to build with: each adds where somebody clicks. */
export function Tools({ tool, setTool, shape, setShape, error, groups, choose }: Props) {
  const [kind = 'ring', size = '4'] = shape.split(' ');
  const { past } = useHands();
  if (past) return null;
  const twoSizes = (k: string) => k === 'grid' || k === 'tiers';
  return (
    <Flex gap={1} align="center" wrap="wrap" role="group" aria-label="Build">
      {tools.map(([name, title, key]) => (
        <Plain
          key={name}
          size="xs"
          h="26px"
          aria-pressed={tool === name}
          bg={tool === name ? 'plumSoft' : 'panel'}
          borderColor={tool === name ? 'plum' : 'line'}
          onClick={() => setTool(tool === name ? '' : name)}
        >
          {title} <Key>{key}</Key>
        </Plain>
      ))}
      {tool === 'shape' && (
        <>
          <chakra.select
            aria-label="Kind of shape"
            value={kind}
            h="26px"
            bg="raised"
            border="1px solid"
            borderColor="line"
            borderRadius="sm"
            onChange={(e) => setShape(`${e.target.value} ${twoSizes(e.target.value) ? '2x3' : '4'}`)}
          >
            {shapes.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </chakra.select>
          <Entry label="Size of the shape" value={size} change={(v) => setShape(`${kind} ${v}`)} w="56px" />
        </>
      )}
      <chakra.select
        aria-label="Choose cards"
        value=""
        h="26px"
        bg="panel"
        border="1px solid"
        borderColor="line"
        borderRadius="md"
        fontSize="12px"
        onChange={(e) => choose(groups.find(([name]) => name === e.target.value)?.[1] ?? [])}
      >
        <option value="">choose ...</option>
        {groups.map(([name, cards]) => (
          <option key={name} value={name}>
            {name} ({cards.length})
          </option>
        ))}
      </chakra.select>
      <Quiet fontSize="12px">
        {tool
          ? `click where ${tool === 'shape' ? 'its middle' : 'it'} is to be, or press Enter; Esc ends`
          : 'drag from the dot of a card to another card to join them'}
      </Quiet>
      {tool && <PlanLine />}
      {error && (
        <Box color="brick" fontSize="12px" role="alert">
          {error}
        </Box>
      )}
    </Flex>
  );
}

/** Where the addresses of what is added come from, and how much of it is taken. */
function PlanLine() {
  const { settled } = useDrafting();
  const plans = useQuery({
    queryKey: ['plans', settled],
    queryFn: () => unwrap(http.POST('/api/text/plans', { body: { text: settled } })),
    placeholderData: (p) => p,
  });
  return (
    <Quiet fontSize="12px" data-testid="plans">
      {plans.data &&
        `new addresses: ${plans.data
          .map((p) => `${p.for} ${p.prefix}${p.scope ? ` ${p.scope}` : ''} (${p.used} of ${p.total} used)`)
          .join(', ')}`}
    </Quiet>
  );
}

interface EntryProps {
  label: string;
  value: string;
  change: (v: string) => void;
  w: string;
  placeholder?: string;
}

const Entry = ({ label, value, change, w, placeholder }: EntryProps) => (
  <chakra.input
    aria-label={label}
    value={value}
    placeholder={placeholder}
    _placeholder={{ color: 'quiet', fontFamily: 'body' }}
    onChange={(e) => change(e.target.value)}
    w={w}
    h="26px"
    px={2}
    fontFamily="mono"
    fontSize="12px"
    bg="raised"
    border="1px solid"
    borderColor="line"
    borderRadius="sm"
  />
);

interface ChosenProps {
  routers: string[];
  /** All cards that are chosen, as the lab language names them. */
  cards: string[];
  /** The ports of the chosen routers: between them, if there are several, and towards hosts. */
  ports: { between: string[]; hosts: string[] };
  edit: (...edits: string[]) => void;
  clear: () => void;
}

/** What can be done with the cards that are chosen. */
export function Chosen({ routers, cards, ports, edit, clear }: ChosenProps) {
  const [area, setArea] = useState('0');
  const [as, setAS] = useState('64500');
  const [statement, setStatement] = useState('');
  const [reflecting, setReflecting] = useState<string[]>([]);
  const [what, setWhat] = useState<(typeof settings)[number]>('cost');
  const [value, setValue] = useState('');
  const reflectors = reflecting.filter((r) => routers.includes(r));
  if (cards.length === 0) return null;
  const list = routers.join(', ');
  return (
    <Flex
      gap={2}
      px={3}
      py={1}
      align="center"
      wrap="wrap"
      bg="plumSoft"
      role="group"
      aria-label="Chosen cards"
      data-testid="chosen"
    >
      <Box fontWeight="650">{plural(cards.length, 'card')} chosen</Box>
      {routers.length > 1 && (
        <Flex gap={1} align="center">
          <Plain size="xs" h="26px" onClick={() => edit(`run ospf area ${area} on ${list}`)}>
            Run OSPF
          </Plain>
          <Quiet fontSize="12px">area</Quiet>
          <Entry label="Area" value={area} change={setArea} w="44px" />
        </Flex>
      )}
      {routers.length > 0 && (
        <Flex gap={1} align="center">
          <Plain
            size="xs"
            h="26px"
            onClick={() =>
              edit(
                `run bgp as ${as} on ${list}${reflectors.length > 0 ? ` reflectors ${reflectors.join(', ')}` : ''}`,
              )
            }
          >
            {routers.length > 1 ? 'Make an AS with iBGP' : 'Run BGP'}
          </Plain>
          <Quiet fontSize="12px">AS</Quiet>
          <Entry label="AS number" value={as} change={setAS} w="64px" />
          {routers.length > 2 && (
            <chakra.select
              aria-label="Full mesh or reflectors"
              value=""
              h="26px"
              maxW="170px"
              bg="raised"
              border="1px solid"
              borderColor="line"
              borderRadius="sm"
              fontSize="12px"
              onChange={(e) => {
                const name = e.target.value;
                if (name === '-') setReflecting([]);
                else
                  setReflecting(
                    reflectors.includes(name) ? reflectors.filter((r) => r !== name) : [...reflectors, name],
                  );
              }}
            >
              <option value="">
                {reflectors.length > 0 ? `reflectors ${reflectors.join(', ')}` : 'full mesh'}
              </option>
              {reflectors.length > 0 && <option value="-">full mesh</option>}
              {routers.map((r) => (
                <option key={r} value={r}>
                  {reflectors.includes(r) ? `without ${r}` : `reflector ${r}`}
                </option>
              ))}
            </chakra.select>
          )}
        </Flex>
      )}
      {routers.length === 2 && (
        <Plain size="xs" h="26px" onClick={() => edit(`run ebgp on ${list}`)}>
          eBGP between them
        </Plain>
      )}
      {ports.between.length > 0 && (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (value.trim()) edit(`${ports.between.join(', ')} ospf ${what} ${value.trim()}`);
          }}
        >
          <Flex gap={1} align="center">
            <chakra.select
              aria-label="What to set on their ports"
              value={what}
              h="26px"
              bg="raised"
              border="1px solid"
              borderColor="line"
              borderRadius="sm"
              fontSize="12px"
              onChange={(e) => setWhat(e.target.value as typeof what)}
            >
              {settings.map((s) => (
                <option key={s}>{s}</option>
              ))}
            </chakra.select>
            <Entry label={`${what} of their ports`} value={value} change={setValue} w="64px" />
            <Plain size="xs" h="26px" type="submit">
              Set on {plural(ports.between.length, 'port')}
            </Plain>
          </Flex>
        </form>
      )}
      {ports.hosts.length > 0 && (
        <Plain size="xs" h="26px" onClick={() => edit(`${ports.hosts.join(', ')} ospf passive`)}>
          Passive towards hosts
        </Plain>
      )}
      {cards.length === 2 && (
        <Plain size="xs" h="26px" onClick={() => edit(`connect ${cards.join(' ')}`)}>
          Connect them
        </Plain>
      )}
      {routers.length > 0 && (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (statement.trim()) edit(`${list} ${statement.trim()}`);
          }}
        >
          <Entry
            label="Statement for all chosen routers"
            placeholder="a statement for all"
            value={statement}
            change={setStatement}
            w="150px"
          />
        </form>
      )}
      <Plain size="xs" h="26px" onClick={() => edit(...cards.map((c) => `remove ${c}`))}>
        Remove
      </Plain>
      <Plain size="xs" h="26px" onClick={clear}>
        none
      </Plain>
    </Flex>
  );
}
