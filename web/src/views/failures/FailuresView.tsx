import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import type { LabState, SweepFound, SweepRow, Swept } from '../../shared/api/client';
import { useSweepOrder } from '../../shared/api/orders';
import { ask, sweeping, type SweptChosen } from '../../shared/api/questions';
import { useLong } from '../../shared/api/useLong';
import { deviceOf, useFocus } from '../../shared/focus/focus';
import { useLook } from '../../shared/focus/looks';
import { useDelayed } from '../../shared/parts/delayed';
import { Choice, Count, Empty, Line, Pick, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { FailureList } from './FailureList';
import { FailureMatrix } from './FailureMatrix';
import { Held } from './Held';
import { NewSweep } from './NewSweep';
import { kinds, progressWords, sweepWords, type Harm } from '../../shared/failing/words';

type Shape = 'list' | 'flows';

/** All failures of the network, tried on copies: what each would do, the worst first. */
export function FailuresView({ lab, past }: { lab: LabState; past: boolean }) {
  const { id } = useFocus();
  const sweeps = useQuery(ask.sweeps(id));
  const map = useQuery(ask.map(id, 'now'));
  const [chosen, setChosen] = useState('');
  const [against, setAgainst] = useState('');
  useLook(id, sweeps.data?.some((s) => s.tried > 0) ? 'failures' : '');
  if (sweeps.error) return <Trouble error={sweeps.error} retry={() => void sweeps.refetch()} />;
  if (!sweeps.data) return <Waiting what="reading the sweeps" />;
  const all = sweeps.data;
  if (map.data?.devices.length === 0 && all.length === 0)
    return (
      <Empty title="No routers yet">
        Nothing can fail here. Add a router on the map, or write it into the text.
      </Empty>
    );
  const sweep = all.find((s) => s.id === chosen) ?? all[0];
  const before = all.find((s) => s.id === against && s.id !== sweep?.id);
  const begun = (s: SweepRow) => {
    // What was swept before is what a draft is held against.
    const same = all.find(
      (x) => !x.draft && x.state === 'done' && x.actions === s.actions && x.depth === s.depth,
    );
    setAgainst(s.draft && same ? same.id : '');
    setChosen(s.id);
  };
  return (
    <Flex direction="column" h="full" minH={0} p={4} gap={3}>
      <NewSweep begun={begun} first={all.length === 0} past={past} />
      {sweep ? (
        <>
          <Flex gap={4} align="center" wrap="wrap">
            <Pick
              label="sweep"
              value={sweep.id}
              onChange={setChosen}
              options={all.map((s) => [s.id, sweepWords(s)] as const)}
            />
            {all.length > 1 && (
              <Pick
                label="held against"
                value={before?.id ?? ''}
                onChange={setAgainst}
                options={[
                  ['', 'none'] as const,
                  ...all.filter((s) => s.id !== sweep.id).map((s) => [s.id, sweepWords(s)] as const),
                ]}
              />
            )}
            <Progress sweep={sweep} lab={lab} />
          </Flex>
          {before ? <Held id={id} sweep={sweep} before={before} /> : <Found key={sweep.id} sweep={sweep} />}
        </>
      ) : (
        <Empty title="No failure has been tried yet">
          A sweep tries every link, router, segment, BGP session and risk group on a copy of the network, and
          says which flows each takes down, for how long, and what is lost for good. Nothing happens to the
          lab.
        </Empty>
      )}
    </Flex>
  );
}

/** How far a sweep is, and the ways to stop it, to go on, and to be rid of it. */
function Progress({ sweep, lab }: { sweep: SweepRow; lab: LabState }) {
  const { id } = useFocus();
  const { order } = useSweepOrder(id);
  const goes = sweeping(sweep);
  const old = sweep.actions !== lab.actions.length;
  return (
    <Flex gap={2} align="center" flex={1} minW="200px">
      {goes && (
        <Box
          role="progressbar"
          aria-label="failures tried"
          aria-valuemin={0}
          aria-valuemax={Math.max(sweep.total, 1)}
          aria-valuenow={sweep.tried}
          w="120px"
          h="8px"
          borderRadius="4px"
          overflow="hidden"
          bg="line"
        >
          <Box h="full" bg="plum" style={{ width: `${(100 * sweep.tried) / Math.max(sweep.total, 1)}%` }} />
        </Box>
      )}
      <Box color={sweep.state === 'failed' ? 'brick' : 'quiet'} role="status" data-testid="sweep-progress">
        {progressWords(sweep)}
        {!goes && old && !sweep.draft && '; the lab has moved on since'}
      </Box>
      {goes && <Plain onClick={() => order.mutate({ sweep: sweep.id, what: 'stop' })}>Stop</Plain>}
      {sweep.state === 'stopped' && (
        <Plain onClick={() => order.mutate({ sweep: sweep.id, what: 'go-on' })}>Go on</Plain>
      )}
      {!goes && <Plain onClick={() => order.mutate({ sweep: sweep.id, what: 'delete' })}>Delete</Plain>}
      {order.error && <Box color="brick">{order.error.message}</Box>}
    </Flex>
  );
}

/** What a sweep has found: how many failures do what harm, and each of them. */
function Found({ sweep }: { sweep: SweepRow }) {
  const { id, focus, set } = useFocus();
  const [shape, setShape] = useState<Shape>('list');
  const [harm, setHarm] = useState<Harm | ''>('');
  const [kind, setKind] = useState('');
  const [words, setWords] = useState('');
  const find = useDelayed(words.trim(), 200);
  const flow = focus.to.startsWith('flow ') ? focus.to.slice(5) : '';
  const of: SweptChosen = {
    ...(focus.who && { at: focus.who.includes('/') ? deviceOf(focus.who) : focus.who }),
    ...(flow && { flow }),
    ...(harm && { harm }),
    ...(kind && { kind }),
    ...(find && { find }),
  };
  const part = (offset: number, limit: number) => ask.sweep(id, sweep.id, { ...of, offset, limit });
  const { first, long } = useLong(part, rowsOf);
  if (first.error) return <Trouble error={first.error} retry={() => void first.refetch()} />;
  if (!first.data) return <Waiting what="reading what the sweep found" />;
  const d = first.data;
  const o = d.overview;
  const only = (h: Harm) => setHarm(harm === h ? '' : h);
  const href = (format: string) =>
    `/api/labs/${id}/sweeps/${sweep.id}/export/${format}?${new URLSearchParams(of as Record<string, string>).toString()}`;
  return (
    <>
      <Flex gap={5} align="center" wrap="wrap" rowGap={1}>
        <Counted
          n={o.forGood}
          what="lose something for good"
          tone="brick"
          on={harm === 'for good'}
          choose={() => only('for good')}
        />
        <Counted
          n={o.harmful}
          what="do harm for a time"
          tone="ochre"
          on={harm === 'for a time'}
          choose={() => only('for a time')}
        />
        <Counted
          n={o.harmless}
          what="are not noticed"
          tone="leaf"
          on={harm === 'none'}
          choose={() => only('none')}
        />
        <Box flex={1} />
        <Line
          flex="0 0 150px"
          h="26px"
          value={words}
          placeholder="find: viaduct, loop"
          aria-label="Find failures"
          onChange={(e) => setWords(e.target.value)}
        />
        <Pick label="of" value={kind} onChange={setKind} options={[['', 'all kinds'] as const, ...kinds]} />
        <Choice on={shape === 'list'} onClick={() => setShape('list')}>
          List
        </Choice>
        <Choice on={shape === 'flows'} onClick={() => setShape('flows')}>
          By flow
        </Choice>
        <Flex gap={2}>
          {['json', 'csv', 'md', 'junit'].map((f) => (
            <Box key={f} asChild textDecoration="underline" color="plum" fontSize="12px">
              <a href={href(f)} download title={`what is shown, as ${f}`}>
                {f === 'md' ? 'Markdown' : f === 'junit' ? 'JUnit' : f.toUpperCase()}
              </a>
            </Box>
          ))}
        </Flex>
      </Flex>
      <Points d={d} />
      {(focus.who || flow) && (
        <Quiet>
          Only failures {focus.who && `at ${focus.who}`} {flow && `that touch flow ${flow}`} are shown:{' '}
          {d.found} of {o.failures}.{' '}
          <Box as="button" textDecoration="underline" onClick={() => void set({ who: '', to: '' })}>
            Show all
          </Box>
        </Quiet>
      )}
      {shape === 'list' ? (
        <FailureList sweep={sweep} found={d} long={long} />
      ) : (
        <FailureMatrix found={d} long={long} flow={flow} />
      )}
    </>
  );
}

const rowsOf = (d: SweepFound): Swept[] => d.failures;

/** A count that chooses what it counts. */
function Counted({
  n,
  what,
  tone,
  on,
  choose,
}: {
  n: number;
  what: string;
  tone: string;
  on: boolean;
  choose: () => void;
}) {
  return (
    <Box
      as="button"
      aria-pressed={on}
      onClick={choose}
      borderBottom="2px solid"
      borderColor={on ? tone : 'transparent'}
      title={on ? 'show all' : 'show only these'}
    >
      <Count n={n} what={what} tone={n > 0 ? tone : 'ink'} />
    </Box>
  );
}

/** The single points of failure by name, and what no failure touches. */
function Points({ d }: { d: SweepFound }) {
  // What is a single point of failure when it is cut is one when it is silent, too.
  const all = d.overview.singlePoints;
  const points = all.filter(
    (p) => !['', ', cut'].some((end) => p.endsWith(', silent') && all.includes(p.replace(/, silent$/, end))),
  );
  const some = points.slice(0, 8);
  return (
    <Box fontSize="12.5px" data-testid="single-points">
      {points.length > 0 ? (
        <>
          <b>Single points of failure:</b> {some.join('; ')}
          {points.length > some.length && `; and ${points.length - some.length} more`}.
        </>
      ) : d.sweep.state === 'done' ? (
        <b>
          {d.overview.forGood > 0
            ? 'No failure alone takes anything for good from what did not fail; some pairs do.'
            : 'No failure takes anything for good from what did not fail.'}
        </b>
      ) : null}
      {d.sweep.state === 'done' && d.flows.length > 0 && (
        <Quiet>
          {' '}
          {d.untouched.length > 0
            ? `No failure touches flow ${d.untouched.join(', ')}.`
            : 'Every flow is touched by some failure.'}
        </Quiet>
      )}
      {d.overview.checks.length > 0 && (
        <Box color="brick">
          After some failures a check fails: {d.overview.checks.map((c) => `"${c}"`).join(', ')}.
        </Box>
      )}
    </Box>
  );
}
