import { Box, CloseButton, Dialog, Flex, Portal } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { http, unwrap } from '../shared/api/client';
import { cursorNow } from '../shared/focus/cursor';
import { views } from '../shared/focus/focus';
import { Choice, Key, Waiting } from '../shared/parts/parts';
import { Language } from './Language';

const keys: [string, string][] = [
  [
    '/',
    'type where to look (viaduct 10.20.2.0/24 before-2), what to do (cut viaduct.e1), to ask (ping kiosk booth) or to change (viaduct.e1 ospf cost 40)',
  ],
  ...views.map((v): [string, string] => [v.key, `show ${v.title}`]),
  ['p', 'probe and trace'],
  ['e', 'the explanation, open or closed'],
  ['y', 'ask why: about a neighbour, a route, what is sent, the path of traffic, what would break'],
  ['f', 'the brief of the lab'],
  ['q', 'the answers to what was typed'],
  ['i', 'what is wrong, and what mends it'],
  ['c', 'cut the selected link'],
  ['s', 'silence the selected link'],
  ['u', 'mend the selected link'],
  ['[ and ]', 'the moment before and after the action before or behind'],
  ['0', 'back to now'],
  ['Space', 'play the last action on the map, and pause'],
  ['< and >', 'while something plays: one step back, one step on'],
  ['1 2 3 4', 'on the map: a router, a host, a segment, a whole shape where you click next'],
  ['Ctrl-A', 'on the map: choose all cards; Shift-click and Shift-drag choose some'],
  ['Delete', 'on the map: remove what is chosen'],
  ['a', 'names and addresses of all link ends on the map'],
  [
    'h',
    'on the map: the paths to the prefix in focus from everywhere, else the shortest paths of the router',
  ],
  [
    'Ctrl-E',
    'in the text: write a series out, such as port e[1..4] 10.0.[1..4].1/30 with the lines below it',
  ],
  ['Ctrl-Enter', 'in the text: preview the draft'],
  ['Ctrl-Shift-Enter', 'apply the draft, on every view'],
  ['Ctrl-Z', 'undo the last change of the draft, on every view; with Shift, redo it'],
  ['F2', 'in the text: the uses of the name under the cursor, and rename'],
  ['Esc', 'clear the focus, or close what is open'],
  ['?', 'this list; in the text F1, with the statements of the place where the cursor is'],
];

type Page = 'keys' | 'language';

/** Keys, and the language: of the place where the cursor of the editor is, if there is one. */
export function Help({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={(d) => !d.open && close()} size="lg" scrollBehavior="inside">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="panel" color="ink" maxW="860px">
            {open && <Pages />}
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

function Pages() {
  const [cursor] = useState(cursorNow);
  const [page, setPage] = useState<Page>(cursor ? 'language' : 'keys');
  const places = useQuery({
    queryKey: ['places', cursor],
    queryFn: () =>
      unwrap(http.POST('/api/text/complete', { body: cursor ?? { text: '', line: 1, column: 1 } })),
    enabled: cursor !== undefined,
  });
  const settled = !cursor || places.data !== undefined || places.isError;
  return (
    <>
      <Dialog.Header>
        <Flex gap={2} align="center">
          <Dialog.Title fontSize="15px" mr={2}>
            Help
          </Dialog.Title>
          <Choice on={page === 'keys'} onClick={() => setPage('keys')}>
            Keys
          </Choice>
          <Choice on={page === 'language'} onClick={() => setPage('language')}>
            The language
          </Choice>
          <Box asChild color="plum" textDecoration="underline" fontSize="13px" ml={2}>
            <Link to="/guide">Guide</Link>
          </Box>
          <Box asChild color="plum" textDecoration="underline" fontSize="13px">
            <Link to="/guide/language">Reference</Link>
          </Box>
          <Box asChild color="plum" textDecoration="underline" fontSize="13px">
            <Link to="/about">About this server</Link>
          </Box>
        </Flex>
      </Dialog.Header>
      <Dialog.Body pb={6} minH="420px">
        {page === 'keys' &&
          keys.map(([k, what]) => (
            <Flex key={k} gap={3} py="3px">
              <Box w="130px" flexShrink={0}>
                <Key>{k}</Key>
              </Box>
              <Box flex={1}>{what}</Box>
            </Flex>
          ))}
        {page === 'language' &&
          (settled ? (
            <Language places={places.data?.in ?? []} />
          ) : (
            <Waiting what="looking where the cursor is" />
          ))}
      </Dialog.Body>
    </>
  );
}
