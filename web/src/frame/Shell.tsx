import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { useCallback, useMemo, useRef, useState } from 'react';
import { Link } from 'react-router';
import { ApiError, http, unwrap, type LabState } from '../shared/api/client';
import { useAct } from '../shared/api/orders';
import { ask } from '../shared/api/questions';
import { BriefPanel } from '../panels/brief/BriefPanel';
import { ComparisonBanner } from '../views/compare/Banner';
import { Strip } from '../panels/explain/Strip';
import { Explanation } from '../panels/explain/Explanation';
import { useAnswers } from '../shared/draft/answers';
import { useHands } from '../shared/draft/drafting';
import { Answers } from './Answers';
import { AtOnce } from './AtOnce';
import { Busy } from './Busy';
import { DraftBar } from './DraftBar';
import { DraftProvider } from './DraftProvider';
import { FocusBar } from './FocusBar';
import {
  deviceOf,
  portName,
  useFocus,
  views,
  writeFocus,
  type View,
  sessionOf,
  refOf,
} from '../shared/focus/focus';
import type { Names } from '../shared/focus/names';
import { useUnread } from '../views/messages/MessagesView';
import { useDelayed } from '../shared/parts/delayed';
import { Plain, Trouble, Waiting } from '../shared/parts/parts';
import { useSame } from '../shared/parts/same';
import { few } from '../shared/parts/words';
import { momentWords } from '../shared/focus/moment';
import { briefClosed, closeBrief, useLook } from '../shared/focus/looks';
import { HowManyWrong } from '../panels/problems/HowManyWrong';
import { Problems } from '../panels/problems/Problems';
import { Probe } from '../panels/probe/Probe';
import { TimelineDock } from '../views/timeline/TimelineDock';
import { NameMoment } from '../views/timeline/NameMoment';
import { Why } from '../panels/why/Why';
import { Brand } from './Brand';
import { ThingMenu } from './ThingMenu';
import { Help } from './Help';
import { useKeys } from '../shared/parts/keys';
import { BrokenLab } from './BrokenLab';
import { PlayProvider } from '../shared/play/PlayProvider';
import { useNews } from './news';
import { toggleScheme } from './scheme';
import { stages, type Stage } from './stages';

/** The frame that stays while views change: focus, views, explanation, timeline. */
export function Shell() {
  const { id } = useFocus();
  const lab = useQuery(ask.lab(id));
  const news = useNews(id);
  // Without them the focus bar would not know an action that is typed at once.
  const forms = useQuery(ask.actionForms());
  if (lab.isPending || forms.isPending) {
    return (
      <>
        <Waiting what="opening the lab" />
        {news.running && <Busy id={id} running={news.running} />}
      </>
    );
  }
  if (lab.error) {
    if (lab.error instanceof ApiError && lab.error.details.some((d) => d.location === 'broken'))
      return <BrokenLab id={id} error={lab.error} />;
    return (
      <Box maxW="640px" mx="auto" mt={16} px={4}>
        <Trouble error={lab.error} retry={() => void lab.refetch()} />
        <Link to="/">All labs</Link>
      </Box>
    );
  }
  return <Drafted lab={lab.data} news={news} />;
}

/** The frame with the draft of the lab, which all views share. */
function Drafted({ lab, news }: { lab: LabState; news: ReturnType<typeof useNews> }) {
  const { id, focus } = useFocus();
  return (
    <DraftProvider key={id} id={id} lab={lab} past={focus.when !== 'now'}>
      <PlayProvider>
        <Open lab={lab} news={news} />
      </PlayProvider>
    </DraftProvider>
  );
}

type Side = 'explanation' | 'probe' | 'why' | 'brief' | 'problems' | '';

function Open({ lab, news }: { lab: LabState; news: ReturnType<typeof useNews> }) {
  const { id, view, focus, set, show } = useFocus();
  const { connected, running } = news;
  const map = useQuery(ask.map(id, focus.when));
  const neighbours = useQuery(ask.neighbours(id, focus.when, { wrong: true }));
  // What is only for completion and counts comes when time stands.
  const rested = useDelayed(focus.when, 300);
  const named = useQuery(ask.names(id, rested));
  const forms = useQuery(ask.actionForms());
  const act = useAct(id);
  const input = useRef<HTMLInputElement>(null);
  // The brief opens by itself until somebody closes it, and gives its place to the explanation of what is chosen.
  const [side, setSideTo] = useState<Side>(() =>
    lab.brief && window.innerWidth >= 1180 && !briefClosed(id) ? 'brief' : '',
  );
  const [byItself, setByItself] = useState(true);
  const setSide = (s: Side) => {
    if (side === 'brief' || s === 'brief') closeBrief(id, s !== 'brief');
    setSideTo(s);
    setByItself(false);
  };
  const [probing, setProbing] = useState(''); // from where, if a menu said so
  const [help, setHelp] = useState(false);
  const [link, setLink] = useState(''); // the port whose link is selected
  const [labels, setLabels] = useState(false);
  const [tree, setTree] = useState(false);
  const [line, setLine] = useState<{ line: number }>();
  const checks = useQuery(ask.checks(id, 'now'));
  const goto = (n: number) => {
    setLine({ line: n });
    void show('text', { when: 'now' });
  };

  const namesNow: Names = useMemo(() => {
    const m = map.data;
    return {
      devices: m?.devices.map((d) => d.name) ?? [],
      ports: m?.links.flatMap((l) => l.ends.map((e) => portName(e))) ?? [],
      flows: m?.flows.map((f) => f.name) ?? [],
      segments: m?.links.flatMap((l) => (l.name ? [l.name] : [])) ?? [],
      groups: named.data?.groups ?? [],
      prefixes: named.data?.prefixes ?? [],
      sessions:
        m?.sessions.flatMap((s) => [
          sessionOf({ device: s.a, instance: s.inA }, s.peer),
          ...(s.back ? [sessionOf({ device: s.b, instance: s.inB }, s.back)] : []),
        ]) ?? [],
      instances:
        m?.devices.flatMap(
          (d) => d.instances?.map((i) => refOf({ device: d.name, instance: i.name })) ?? [],
        ) ?? [],
      actions: lab.actions.length,
      moments: lab.moments.map((m) => m.name),
      forms: forms.data ?? [],
    };
  }, [map.data, named.data, lab.actions.length, lab.moments, forms.data]);
  // Names are mostly the same from moment to moment.
  const names = useSame(namesNow);

  // Where somebody looks when it is done is theirs to say: they may have gone on.
  const doAct = (action: string) => {
    void set({ when: 'now' });
    act.mutate({ action });
  };
  const step = (by: number) => {
    // Before and after each action, in order.
    const stops = [
      ...lab.actions.flatMap((a) => (a.seq === 1 ? [`after-1`] : [`before-${a.seq}`, `after-${a.seq}`])),
      'now',
    ];
    const distinct = stops.filter((s) => s !== `after-${lab.actions.length}`);
    let at = distinct.indexOf(focus.when);
    if (at < 0) at = distinct.length - 1;
    void set({ when: distinct[Math.max(0, Math.min(distinct.length - 1, at + by))] ?? 'now' });
  };
  const past = focus.when !== 'now';
  const answers = useAnswers(id);
  const [answering, setAnswering] = useState(false);
  const question = (line: string) => {
    setAnswering(true);
    const kept = { moment: momentWords(lab, focus.when), when: focus.when };
    const query = { at: focus.when, line, who: focus.who, to: focus.to };
    unwrap(http.GET('/api/labs/{id}/say', { params: { path: { id }, query } })).then(
      (said) => answers.add({ ...kept, said }),
      (e: unknown) =>
        answers.add({
          ...kept,
          said: { line, says: '', good: false, rows: [], view: 'map' },
          error: e instanceof Error ? e.message : 'There is no answer.',
        }),
    );
  };
  // The bar stays as it is while the draft changes: it writes through hands that stay, and asks for the text as it is then.
  const { edit, text, undo, redo } = useHands();
  const editLines = useCallback(
    (lines: string[]) => (past ? Promise.reject(new Error('Go back to now to change it.')) : edit(...lines)),
    [past, edit],
  );
  const complete = useCallback(
    (line: string) =>
      unwrap(http.POST('/api/text/complete-edit', { body: { text: text(), edit: line } })).then(
        (c) => c.suggestions,
      ),
    [text],
  );
  const last = lab.actions.at(-1);
  const comparing = focus.since !== '';
  // What is chosen is explained, unless somebody closed that.
  const [closed, setClosed] = useState(false);
  const explains = view !== 'text' && view !== 'desk';
  const idle = side === '' || (side === 'brief' && byItself);
  const explaining =
    side === 'explanation' || (idle && explains && !closed && (focus.who || focus.to || link) !== '');
  const briefing = side === 'brief' && view !== 'text' && !explaining;
  const explain = (on: boolean) => {
    setSide(on ? 'explanation' : '');
    setClosed(!on);
  };
  const toggle = (s: Side) => setSide(side === s ? '' : s);
  // While a panel has a field, a letter may be meant for it: none acts on the network.
  const typing = side === 'why' || side === 'probe';
  // Of failures there is nothing to look at before some are tried: their view says when.
  useLook(id, comparing ? 'compare' : view === 'failures' ? '' : view);
  useLook(id, typing ? side : '');
  const fault = (verb: string) => () => link && !past && !typing && doAct(`${verb} ${link}`);
  useKeys({
    'Ctrl+z': undo,
    'Ctrl+Shift+z': redo,
    'Ctrl+y': redo,
    ...Object.fromEntries(views.map((v) => [v.key, () => void show(v.name)])),
    '/': () => input.current?.focus(),
    '?': () => setHelp(true),
    F1: () => setHelp(true),
    p: () => {
      setProbing('');
      toggle('probe');
    },
    e: () => explain(!explaining),
    y: () => toggle('why'),
    q: () => setAnswering(!answering),
    f: () => setSide(briefing ? '' : 'brief'),
    i: () => toggle('problems'),
    c: fault('cut'),
    s: fault('silence'),
    u: fault('mend'),
    a: () => setLabels(!labels),
    h: () => setTree(!tree),
    '[': () => step(-1),
    ']': () => step(1),
    '0': () => void set({ when: 'now' }),
    Escape: () => {
      setLink('');
      void set({ who: '', to: '' });
    },
  });

  const down = neighbours.data?.down ?? 0;
  const broken = map.data?.flows.filter((f) => !f.arrives).length ?? 0;
  // What a task asks for is not wrong before it is done.
  const failed = checks.data?.filter((c) => !c.passed && !c.task).length ?? 0;
  const problems: Partial<Record<View, number>> = { neighbours: down, map: broken, checks: failed };
  const unread = useUnread(id, rested);
  const who = deviceOf(focus.who);
  const stage: Stage = { lab, focus, past, line, goto, map: { link, setLink, labels, tree, setTree } };

  return (
    <ThingMenu
      act={doAct}
      past={past}
      probe={(from) => {
        setProbing(from);
        setSide('probe');
        void set({ who: from });
      }}
      goto={goto}
    >
      <Flex direction="column" h="100vh" overflow="hidden">
        <Flex
          as="header"
          minH="52px"
          px={4}
          py={{ base: 1, lg: 0 }}
          columnGap={3}
          rowGap={1}
          // A narrow window, or one that is zoomed, has the focus bar on a line of its own.
          wrap={{ base: 'wrap', lg: 'nowrap' }}
          align="center"
          bg="panel"
          borderBottom="1px solid"
          borderColor="line"
          flexShrink={0}
        >
          <Brand />
          <Box as="h1" fontWeight="400" color="quiet" fontSize="14px" truncate maxW="180px" title={lab.title}>
            {lab.title}
          </Box>
          <FocusBar
            focus={focus}
            names={names}
            moment={
              comparing
                ? `${momentWords(lab, focus.since)} .. ${momentWords(lab, focus.when)}`
                : momentWords(lab, focus.when)
            }
            set={(f) => void set(f)}
            act={doAct}
            ask={question}
            edit={editLines}
            complete={complete}
            input={input}
          />
          {lab.brief && (
            <Plain onClick={() => setSide(briefing ? '' : 'brief')} aria-pressed={briefing}>
              Brief
            </Plain>
          )}
          <Plain
            onClick={() => toggle('problems')}
            aria-pressed={side === 'problems'}
            title="what is wrong, and what mends it"
          >
            Problems
            <HowManyWrong whole={side === 'problems'} />
          </Plain>
          <Plain onClick={() => toggle('why')} aria-pressed={side === 'why'}>
            Why?
          </Plain>
          <Plain onClick={() => toggle('probe')} aria-pressed={side === 'probe'}>
            Probe
          </Plain>
          <Plain onClick={() => setHelp(true)} aria-label="Keys" px={2}>
            ?
          </Plain>
        </Flex>
        {!connected && (
          <Box bg="ochreSoft" color="ochre" px={4} py={1} role="status">
            The connection to the server is lost. What you see is the last known state; the page reconnects by
            itself.
          </Box>
        )}
        {(act.isPending || running) && <Busy id={id} running={running} />}
        {!running && last && (last.moving.length > 0 || last.outcome === 'stopped') && !past && (
          <Flex bg="ochreSoft" color="ochre" px={4} py={1} gap={3} align="center" role="status">
            <Box flex={1}>
              <b>{last.action}</b>:{' '}
              {last.outcome === 'stopped' ? 'it was stopped before the network settled' : last.outcome}
              {last.moving.length > 0 && `; what keeps moving: ${last.moving[0]}`}.
            </Box>
            <chakra.button textDecoration="underline" onClick={() => void show('timeline', { when: 'now' })}>
              More
            </chakra.button>
            <chakra.button textDecoration="underline" onClick={() => doAct('settle')}>
              Go on
            </chakra.button>
          </Flex>
        )}
        {act.error && (
          <Flex bg="brickSoft" color="brick" px={4} py={1} role="alert">
            <Box flex={1}>{act.error.message}</Box>
            <chakra.button textDecoration="underline" onClick={() => act.reset()}>
              Close
            </chakra.button>
          </Flex>
        )}
        {comparing && <ComparisonBanner lab={lab} />}
        {past && !comparing && (
          <Flex bg="ochreSoft" color="ochre" px={4} py={1} gap={3} role="status">
            <Box flex={1}>
              This is the past: {momentWords(lab, focus.when)}. It can be looked at and probed, not changed.
            </Box>
            <NameMoment id={id} when={focus.when} moments={lab.moments} />
            <chakra.button
              textDecoration="underline"
              onClick={() => void set({ since: focus.when, when: 'now' })}
            >
              Compare with now
            </chakra.button>
            <ForkButton id={id} when={focus.when} />
            <chakra.button textDecoration="underline" onClick={() => void set({ when: 'now' })}>
              Back to now
            </chakra.button>
          </Flex>
        )}
        <Flex flex={1} minH={0} position="relative">
          <Flex
            as="nav"
            aria-label="Views"
            direction="column"
            w="132px"
            p={2}
            gap="2px"
            overflowY="auto"
            bg="panel"
            borderRight="1px solid"
            borderColor="line"
            flexShrink={0}
          >
            {views.map((v) => (
              <Flex
                asChild
                key={v.name}
                px={2}
                py="6px"
                borderRadius="md"
                align="center"
                fontWeight={v.name === view ? 650 : 400}
                bg={v.name === view ? 'chosen' : undefined}
                _hover={{ bg: 'chosen' }}
              >
                <Link
                  to={`/lab/${id}/${v.name}${writeFocus(focus)}`}
                  aria-current={v.name === view ? 'page' : undefined}
                >
                  <Box flex={1}>{v.title}</Box>
                  {(problems[v.name] ?? 0) > 0 && (
                    <Box color="brick" fontWeight="650" fontSize="11px" mx={1} title="problems">
                      {few(problems[v.name] ?? 0)}
                    </Box>
                  )}
                  {v.name === 'messages' && unread > 0 && (
                    <Box color="plum" fontWeight="650" fontSize="11px" mx={1} title="not seen yet">
                      {few(unread)}
                    </Box>
                  )}
                  <Box color="quiet" fontSize="11px" aria-hidden="true">
                    {v.key}
                  </Box>
                </Link>
              </Flex>
            ))}
            <Box flex={1} />
            <AtOnce />
            <chakra.button color="quiet" fontSize="11px" textAlign="left" px={2} onClick={toggleScheme}>
              Theme
            </chakra.button>
          </Flex>
          <Flex direction="column" flex={1} minW={0}>
            <Box as="main" flex={1} minH={0} overflow="auto" position="relative" key={view}>
              {((comparing && stages[view].compare) || stages[view].show)(stage)}
            </Box>
            {answering && answers.list.length > 0 && (
              <Answers
                title={lab.title}
                list={answers.list}
                again={question}
                clear={answers.clear}
                close={() => setAnswering(false)}
              />
            )}
            <DraftBar view={view} />
            {view !== 'timeline' && (
              <TimelineDock lab={lab} roomy={view === 'map' && names.devices.length <= 10} />
            )}
          </Flex>
          {side === 'why' && (
            <Why
              map={map.data}
              neighbours={neighbours.data?.neighbours}
              link={link}
              close={() => setSide('')}
              goto={goto}
            />
          )}
          {side === 'problems' && <Problems close={() => setSide('')} />}
          {briefing && <BriefPanel close={() => setSide('')} />}
          {side === 'probe' && (
            <Probe
              key={probing}
              close={() => setSide('')}
              devices={map.data?.devices ?? []}
              who={probing || who}
            />
          )}
          {explains &&
            (explaining ? (
              <Explanation lab={lab} link={link} act={doAct} past={past} close={() => explain(false)} />
            ) : (
              !briefing && idle && <Strip open={() => explain(true)} />
            ))}
        </Flex>
        <Help open={help} close={() => setHelp(false)} />
      </Flex>
    </ThingMenu>
  );
}

function ForkButton({ id, when }: { id: string; when: string }) {
  const fork = async () => {
    const made = await unwrap(
      http.POST('/api/labs/{id}/fork', { params: { path: { id } }, body: { at: when } }),
    );
    location.assign(`/lab/${made.id}/map`);
  };
  return (
    <chakra.button textDecoration="underline" onClick={() => void fork()}>
      Fork the lab here
    </chakra.button>
  );
}
