import { Menu, Portal, Box } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useState, type ReactNode } from 'react';
import { ask } from '../shared/api/questions';
import { deviceRange } from '../shared/draft/block';
import { useHands } from '../shared/draft/drafting';
import { deviceOf, useFocus } from '../shared/focus/focus';
import { ThingsContext, entriesOf, type Entry, type OpenMenu, type Thing } from '../shared/things/things';

interface Props {
  act: (action: string) => void;
  past: boolean;
  /** Opens the probe from a device. */
  probe: (from: string) => void;
  goto: (line: number) => void;
  children: ReactNode;
}

/** The menu of whatever was pointed at: what can be done to it. */
export function ThingMenu({ act, past, probe, goto, children }: Props) {
  const { id, focus, show } = useFocus();
  const map = useQuery(ask.map(id, focus.when));
  const { edit, text } = useHands();
  const [at, setAt] = useState<{ thing: Thing; x: number; y: number }>();
  const [error, setError] = useState('');
  const open: OpenMenu = useCallback((thing, place) => {
    setError('');
    setAt({ thing, ...place });
  }, []);
  const entries = at && map.data ? entriesOf(at.thing, map.data, focus.who) : [];
  const run = (e: Entry) => {
    if (!at) return;
    const name = at.thing.name;
    setAt(undefined);
    if (e.act) act(e.act);
    if (e.edits)
      edit(...e.edits).catch((x: unknown) => setError(x instanceof Error ? x.message : 'It cannot be made.'));
    if (e.look) void show(e.look.view, e.look.focus);
    if (e.tool === 'probe') probe(name);
    if (e.tool === 'text') {
      const range = deviceRange(text().split('\n'), deviceOf(name));
      if (range) goto(range.from + 1);
    }
  };
  return (
    <ThingsContext value={open}>
      {children}
      {at && entries.length > 0 && (
        <Menu.Root
          open
          onOpenChange={(e) => !e.open && setAt(undefined)}
          onSelect={(e) => {
            const entry = entries.find((x) => x.label === e.value);
            if (entry) run(entry);
          }}
          positioning={{ getAnchorRect: () => ({ x: at.x, y: at.y, width: 1, height: 1 }) }}
        >
          <Portal>
            <Menu.Positioner>
              <Menu.Content aria-label={`What to do with ${at.thing.name}`} minW="190px" bg="raised">
                <Menu.ItemGroup>
                  <Menu.ItemGroupLabel color="quiet" fontSize="11.5px">
                    {at.thing.name}
                  </Menu.ItemGroupLabel>
                  {entries.map((e) => (
                    <Menu.Item
                      key={e.label}
                      value={e.label}
                      disabled={past && !e.look && !e.tool}
                      color={e.label === 'Remove' ? 'brick' : undefined}
                    >
                      <Box flex={1}>{e.label}</Box>
                      {e.key && (
                        <Box color="quiet" fontSize="11px">
                          {e.key}
                        </Box>
                      )}
                    </Menu.Item>
                  ))}
                </Menu.ItemGroup>
              </Menu.Content>
            </Menu.Positioner>
          </Portal>
        </Menu.Root>
      )}
      {error && (
        <Box
          position="fixed"
          bottom="60px"
          left="50%"
          bg="brickSoft"
          color="brick"
          px={4}
          py={1}
          role="alert"
        >
          {error}
        </Box>
      )}
    </ThingsContext>
  );
}
