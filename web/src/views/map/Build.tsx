import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { useDrafting } from '../../shared/draft/drafting';
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

const shapes = ['ring', 'line', 'star', 'mesh', 'grid', 'tiers'] as const;

interface Props {
  tool: Tool;
  setTool: (t: Tool) => void;
  shape: string;
  setShape: (s: string) => void;
  error: string;
}

/** The tools to build with: each adds where somebody clicks. */
export function Tools({ tool, setTool, shape, setShape, error }: Props) {
  const [kind = 'ring', size = '4'] = shape.split(' ');
  const { past } = useDrafting();
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
      <Quiet fontSize="12px">
        {tool
          ? `click where ${tool === 'shape' ? 'its middle' : 'it'} is to be; Esc ends`
          : 'drag from the dot of a card to another card to join them'}
      </Quiet>
      {error && (
        <Box color="brick" fontSize="12px" role="alert">
          {error}
        </Box>
      )}
    </Flex>
  );
}

interface EntryProps {
  label: string;
  value: string;
  change: (v: string) => void;
  w: string;
}

const Entry = ({ label, value, change, w }: EntryProps) => (
  <chakra.input
    aria-label={label}
    value={value}
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
  edit: (...edits: string[]) => void;
  clear: () => void;
}

/** What can be done with the cards that are chosen. */
export function Chosen({ routers, cards, edit, clear }: ChosenProps) {
  const [area, setArea] = useState('0');
  const [as, setAS] = useState('64500');
  const [statement, setStatement] = useState('');
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
          <Plain size="xs" h="26px" onClick={() => edit(`run bgp as ${as} on ${list}`)}>
            {routers.length > 1 ? 'Make an AS with iBGP' : 'Run BGP'}
          </Plain>
          <Quiet fontSize="12px">AS</Quiet>
          <Entry label="AS number" value={as} change={setAS} w="64px" />
        </Flex>
      )}
      {routers.length === 2 && (
        <Plain size="xs" h="26px" onClick={() => edit(`run ebgp on ${list}`)}>
          eBGP between them
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
          <chakra.input
            aria-label="Statement for all chosen routers"
            placeholder="a statement for all"
            value={statement}
            onChange={(e) => setStatement(e.target.value)}
            w="150px"
            h="26px"
            px={2}
            fontFamily="mono"
            fontSize="12px"
            bg="raised"
            border="1px solid"
            borderColor="line"
            borderRadius="sm"
            _placeholder={{ color: 'quiet', fontFamily: 'body' }}
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
