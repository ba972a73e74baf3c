import { Box, Flex, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import type { Flight, Hunt, LabState } from '../api/client';
import { deviceOf, useFocus } from '../focus/focus';
import { useKeys } from '../parts/keys';
import { Choice, Line, Mono, Plain, Quiet } from '../parts/parts';
import { duration, exact, plural } from '../parts/words';
import { currentAction, timeOf, typedMoment } from '../focus/moment';
import { pathWords } from './hunt';
import { usePlay } from './play';
import { classWords, classes } from './packets';
import { partWords } from './spread';
import { around, begunBy, speeds, speedWords, type Stop } from './stretch';

const whats: [Stop, string][] = [
  ['event', 'event'],
  ['packet', 'packet'],
  ['forwarding', 'change of a table'],
  ['lost', 'lost packet'],
];

/** How many LSAs and prefixes can be chosen from, and how many parts of a spread are listed. */
const mostCargo = 300;
const mostParts = 400;

/** How much of the time after an action is played beyond its last change: what is on its way then arrives. */
const tail = 0.05;

/** Begins to play the action that is looked at; the keys of what plays. */
export function PlayButton({ lab }: { lab: LabState }) {
  const { focus } = useFocus();
  const play = usePlay();
  const { seq } = currentAction(lab, focus.when);
  const action = lab.actions[seq - 1];
  // What is compared plays from the one moment to the other, else the action that is looked at.
  const times = focus.since === '' ? [] : [timeOf(lab, focus.since), timeOf(lab, focus.when)];
  const begin = () =>
    times.length > 0
      ? play?.open(Math.min(...times), Math.max(...times))
      : action &&
        play?.open(action.start, Math.min(action.end, Math.max(action.settled + tail, action.start + tail)));
  useKeys({
    ' ': () => (play?.stretch ? play.toggle() : begin()),
    '>': () => play?.step(1),
    '<': () => play?.step(-1),
  });
  if (!play || !action || play.stretch) return null;
  return (
    <Plain
      size="xs"
      h="24px"
      onClick={begin}
      title={
        times.length > 0
          ? 'plays what lies between the two moments (space)'
          : 'plays this action on the map (space)'
      }
    >
      Play
    </Plain>
  );
}

/** The controls of what plays, while a stretch is open. */
export function PlayBar({ lab }: { lab: LabState }) {
  const play = usePlay();
  const { focus } = useFocus();
  if (!play?.stretch) return null;
  const { stretch, filter } = play;
  const present = classes.filter((c) => play.present.includes(c));
  const flip = (c: Flight['class']) =>
    play.setFilter({
      ...filter,
      without: filter.without.includes(c) ? filter.without.filter((x) => x !== c) : [...filter.without, c],
    });
  const who = deviceOf(focus.who);
  return (
    <Box
      as="section"
      aria-label="Play"
      borderBottom="1px solid"
      borderColor="line"
      px={3}
      py={1}
      data-testid="play"
    >
      <Flex gap={2} align="center" wrap="wrap">
        <Plain size="xs" h="26px" w="58px" onClick={play.toggle} aria-pressed={play.playing} title="space">
          {play.playing ? 'Pause' : 'Play'}
        </Plain>
        <Plain
          size="xs"
          h="26px"
          onClick={() => play.step(-1)}
          title="the one before (<)"
          aria-label="Step back"
        >
          ‹
        </Plain>
        <Plain size="xs" h="26px" onClick={() => play.step(1)} title="the next one (>)" aria-label="Step">
          ›
        </Plain>
        <Choose
          name="Step to the next"
          value={play.what}
          set={(w) => play.setWhat(w as Stop)}
          options={whats}
        />
        <Choose
          name="Speed"
          value={String(play.speed)}
          set={(s) => play.setSpeed(Number(s))}
          options={speeds.map((s) => [String(s), speedWords(s)] as const)}
        />
        <chakra.label display="flex" gap={1} fontSize="12px" whiteSpace="nowrap">
          <input type="checkbox" checked={play.skip} onChange={(e) => play.setSkip(e.target.checked)} />
          skip what is quiet
        </chakra.label>
        <chakra.label
          display="flex"
          gap={1}
          fontSize="12px"
          whiteSpace="nowrap"
          title="otherwise only the first packets that take another path or are lost"
        >
          <input type="checkbox" checked={play.all} onChange={(e) => play.setAll(e.target.checked)} />
          all packets of flows
        </chakra.label>
        <Box flex={1} />
        {play.waiting && <Quiet fontSize="12px">reading</Quiet>}
        <Mono data-testid="play-time" title={exact(play.t)} whiteSpace="nowrap">
          {duration(play.t - stretch.from)}
        </Mono>
        <Plain size="xs" h="26px" onClick={play.close}>
          Close
        </Plain>
      </Flex>
      <Flex gap={2} rowGap={1} align="center" fontSize="12px" my={1} wrap="wrap">
        <Edge
          key={`from ${stretch.from}`}
          name="From"
          lab={lab}
          at={stretch.from}
          set={(from) => play.open(from, stretch.to)}
          fits={(from) => from < stretch.to}
        />
        <chakra.input
          type="range"
          aria-label="Moment"
          flex="1 1 220px"
          minW="120px"
          min={stretch.from}
          max={stretch.to}
          step="any"
          value={play.t}
          onChange={(e) => play.go(Number(e.target.value))}
        />
        <Edge
          key={`to ${stretch.to}`}
          name="To"
          lab={lab}
          at={stretch.to}
          set={(to) => play.open(stretch.from, to)}
          fits={(to) => to > stretch.from}
        />
        <Choose
          name="Follow an LSA, a prefix or a flow"
          value={play.follow}
          set={play.setFollow}
          options={[
            ['', 'follow ...'] as const,
            ...play.cargo.slice(0, mostCargo).map((of) => [of, of] as const),
          ]}
        />
        {play.follow === '' &&
          present.map((c) => (
            <Choice key={c} on={!filter.without.includes(c)} onClick={() => flip(c)}>
              {classWords[c]}
            </Choice>
          ))}
        {(who !== '' || filter.device !== '') && (
          <Choice
            on={filter.device !== ''}
            onClick={() => play.setFilter({ ...filter, device: filter.device === '' ? who : '' })}
          >
            only {filter.device || who}
          </Choice>
        )}
      </Flex>
      {play.error && (
        <Box color="brick" fontSize="12px" role="alert">
          {play.error}
        </Box>
      )}
      {play.follow === '' ? <Happening /> : <Spread />}
    </Box>
  );
}

/** Where the stretch begins or ends: a time since the lab began, or any moment that the focus knows. */
function Edge({
  name,
  lab,
  at,
  set,
  fits,
}: {
  name: 'From' | 'To';
  lab: LabState;
  at: number;
  set: (t: number) => void;
  fits: (t: number) => boolean;
}) {
  const written = `${at.toFixed(6).replace(/\.?0+$/, '')}s`;
  const [text, setText] = useState(written);
  const when = typedMoment(
    text.trim(),
    lab.moments.map((m) => m.name),
  );
  const t = when === undefined ? NaN : timeOf(lab, when);
  const good = t >= 0 && t <= lab.now && fits(t);
  const take = () => {
    if (good && text !== written) set(t);
  };
  return (
    <Line
      aria-label={name}
      title={
        good
          ? 'a time as 20.5s, before-2, now, or the name of a moment; Enter plays from there'
          : `${name === 'From' ? 'a moment before the end' : 'a moment after the beginning'}, up to now: 20.5s, before-2, now`
      }
      aria-invalid={!good}
      flex="none"
      w="92px"
      h="24px"
      fontFamily="mono"
      fontSize="12px"
      color={good ? undefined : 'brick'}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') take();
        if (e.key === 'Escape') setText(written);
      }}
      onBlur={() => setText(written)}
    />
  );
}

/** How what is followed spreads, as a list; a click goes to the moment. */
function Spread() {
  const play = usePlay();
  const [byRouter, setByRouter] = useState(false);
  if (!play?.stretch) return null;
  const { stretch, spread, hunt } = play;
  const devices = new Set(
    spread.filter((p) => p.kind === 'first' || p.kind === 'arrives').map((p) => p.device),
  );
  return (
    <Box
      fontSize="12px"
      maxH="118px"
      overflowY="auto"
      role="region"
      aria-label="Spread"
      tabIndex={0}
      data-testid="spread"
    >
      <Flex gap={3} align="center">
        <Quiet>
          {play.follow} reaches {plural(devices.size, 'device')}
        </Quiet>
        {hunt && hunt.routers.length > 0 && (
          <chakra.button color="plum" textDecoration="underline" onClick={() => setByRouter(!byRouter)}>
            {byRouter ? 'by time' : 'best paths, router by router'}
          </chakra.button>
        )}
      </Flex>
      {hunt && byRouter && <Hunted hunt={hunt} from={stretch.from} />}
      {(!hunt || !byRouter) &&
        spread.slice(0, mostParts).map((p, i) => (
          <Flex
            asChild
            key={i}
            gap={3}
            w="full"
            textAlign="left"
            opacity={p.at <= play.t ? 1 : 0.55}
            _hover={{ bg: 'chosen' }}
          >
            <button onClick={() => play.go(p.at)}>
              <Mono w="86px" color="quiet" title={exact(p.at)}>
                {exact(p.at - stretch.from)}
              </Mono>
              <Box w="220px" truncate>
                {p.from === '' ? (
                  <b>{p.device}</b>
                ) : (
                  <>
                    {p.from} to <b>{p.device}</b>
                  </>
                )}
              </Box>
              <Box
                w="100px"
                color={
                  p.kind === 'lost' || p.kind === 'loops' ? 'brick' : p.kind === 'first' ? 'plum' : 'quiet'
                }
              >
                {partWords[p.kind]}
              </Box>
              <Box flex={1} truncate>
                {p.says}
              </Box>
            </button>
          </Flex>
        ))}
      {(!hunt || !byRouter) && spread.length > mostParts && (
        <Quiet>and {spread.length - mostParts} more</Quiet>
      )}
    </Box>
  );
}

/** What each router had as its best path, one after the other; a click goes to the moment. */
function Hunted({ hunt, from }: { hunt: Hunt; from: number }) {
  const play = usePlay();
  return (
    <Box data-testid="hunt">
      {hunt.routers.map((r) => (
        <Flex key={r.router} columnGap={2} rowGap={0} wrap="wrap" align="baseline">
          <b>{r.router}</b>
          {r.bests.map((c, i) => (
            <chakra.button
              key={i}
              textAlign="left"
              color={c.none ? 'brick' : undefined}
              fontWeight={
                c.at <= (play?.t ?? 0) && (r.bests[i + 1]?.at ?? Infinity) > (play?.t ?? 0) ? 650 : 400
              }
              onClick={() => play?.go(c.at)}
            >
              {i > 0 && <Mono color="quiet">{exact(c.at - from)} </Mono>}
              {pathWords(c)}
              {i < r.bests.length - 1 && <Quiet> then</Quiet>}
            </chakra.button>
          ))}
        </Flex>
      ))}
    </Box>
  );
}

function Choose({
  name,
  value,
  set,
  options,
}: {
  name: string;
  value: string;
  set: (v: string) => void;
  options: readonly (readonly [string, string])[];
}) {
  return (
    <chakra.select
      aria-label={name}
      title={name}
      value={value}
      onChange={(e) => set(e.target.value)}
      bg="raised"
      border="1px solid"
      borderColor="line"
      borderRadius="md"
      h="26px"
      fontSize="12px"
      px={1}
      maxW="170px"
    >
      {options.map(([v, words]) => (
        <option key={v} value={v}>
          {words}
        </option>
      ))}
    </chakra.select>
  );
}

/** What happens at the moment, as a list: for who reads it, and for who sees nothing move. */
function Happening() {
  const play = usePlay();
  if (!play) return null;
  const last = play.events.slice(0, begunBy(play.events, play.t)).slice(-2);
  const flying = around(play.flights, play.t, 0);
  return (
    <Flex
      gap={4}
      fontSize="12px"
      h="19px"
      overflow="hidden"
      whiteSpace="nowrap"
      role="log"
      aria-label="What happens"
      aria-live={play.playing && play.moves ? 'off' : 'polite'}
    >
      {last.map((e, i) => (
        <Box key={`${e.at} ${e.device} ${i}`}>
          <b>{e.device}</b> {e.text}
        </Box>
      ))}
      {flying.length > 0 && (
        <Quiet>
          {flying
            .slice(0, 2)
            .map((f) => `${f.kind} from ${f.from} to ${f.to}${f.lost ? `, lost: ${f.lost}` : ''}`)
            .join('; ')}
          {flying.length > 2 && ` and ${flying.length - 2} more`}
        </Quiet>
      )}
    </Flex>
  );
}
