import { useQuery } from '@tanstack/react-query';
import { Flex } from '@chakra-ui/react';
import { ask } from '../../shared/api/questions';
import { peerOf, useFocus, refOf, instanceOf } from '../../shared/focus/focus';
import { Empty, Pick, Plain, Trouble, Waiting } from '../../shared/parts/parts';
import { Borders } from './Borders';
import { PrefixStory } from './PrefixStory';
import { Tables } from './Tables';

/** BGP's paths: of a prefix its whole story, of a session or a router its tables. */
export function PathsView() {
  const { id, focus, set } = useFocus();
  const map = useQuery(ask.map(id, focus.when));
  if (map.error) return <Trouble error={map.error} retry={() => void map.refetch()} />;
  if (!map.data) return <Waiting what="reading the paths" />;
  const ends = map.data.sessions.flatMap((s) => [
    refOf({ device: s.a, instance: s.inA }),
    refOf({ device: s.b, instance: s.inB }),
  ]);
  const speakers = map.data.devices.flatMap((d) =>
    [undefined, ...(d.instances ?? [])]
      .map((i) => ({ name: refOf({ device: d.name, instance: i?.name }), as: i ? i.as : d.as }))
      .filter((x) => ends.includes(x.name)),
  );
  if (speakers.length === 0) {
    return (
      <Empty title="BGP runs nowhere">
        No router of this lab has a BGP session. Press t and add bgp as NUMBER to a router, with a peer.
      </Empty>
    );
  }
  const isPrefix = /^\d+(\.\d+){3}(\/\d+)?$/.test(focus.to);
  const named = instanceOf(focus.who);
  const router =
    [named, ...speakers.map((d) => d.name).filter((n) => n.startsWith(`${named}/`))].find((n) =>
      speakers.some((d) => d.name === n),
    ) ?? '';
  const peer = router ? peerOf(focus.who) : '';
  const shown = router;
  const sessions = map.data.sessions
    .map((s) => ({
      ...s,
      a: refOf({ device: s.a, instance: s.inA }),
      b: refOf({ device: s.b, instance: s.inB }),
    }))
    .filter((s) => s.a === shown || s.b === shown);
  return (
    <Flex direction="column" h="full" p={4} minH={0}>
      <Flex gap={3} mb={3} align="center" wrap="wrap" flexShrink={0}>
        <Pick
          label="Router"
          value={isPrefix ? router : shown}
          onChange={(v) => void set({ who: v })}
          options={[
            ['', isPrefix ? 'all routers' : 'all, by neighbour AS'] as const,
            ...speakers.map((d) => [d.name, `${d.name}, AS ${d.as ?? 0}`] as const),
          ]}
        />
        {!isPrefix && shown && (
          <Pick
            label="Session"
            value={peer}
            onChange={(v) => void set({ who: v ? `${shown}/${v}` : shown })}
            options={[
              ['', 'its best paths (Loc-RIB)'],
              ...sessions.flatMap((s) =>
                s.a === shown
                  ? [[s.peer, `with ${s.b}, ${s.peer}`] as const]
                  : s.back
                    ? [[s.back, `with ${s.a}, ${s.back}`] as const]
                    : [],
              ),
            ]}
          />
        )}
        {isPrefix && (
          <Plain size="xs" h="28px" onClick={() => void set({ to: '' })}>
            All prefixes
          </Plain>
        )}
      </Flex>
      {isPrefix ? (
        <PrefixStory id={id} when={focus.when} to={focus.to} device={router} />
      ) : shown === '' ? (
        <Borders id={id} when={focus.when} />
      ) : (
        <Tables key={`${shown}/${peer}`} id={id} when={focus.when} device={shown} peer={peer} />
      )}
    </Flex>
  );
}
