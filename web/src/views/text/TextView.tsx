import { Box, Flex } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useState } from 'react';
import {
  ApiError,
  http,
  unwrap,
  useAct,
  useApplyPreview,
  useKeptDrafts,
  usePreview,
  useWarnings,
  type KeptDraft,
  type LabState,
  type Previewed,
  type Problem,
} from '../../shared/api/client';
import { useFocus } from '../../shared/focus/focus';
import { save } from '../../shared/parts/csv';
import { Choice, Main, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { BriefText } from '../checks/BriefText';
import { Editor } from './Editor';
import { NamePanel, type Named } from './NamePanel';
import { OutlinePanel } from './OutlinePanel';
import { PreviewPanel } from './PreviewPanel';
import { ProblemsPanel } from './ProblemsPanel';
import { RevisionsPanel } from './RevisionsPanel';
import { SideBySide } from './SideBySide';
import { StagePlan, noPlan, orderOf, samePlan, type Plan } from './StagePlan';
import { TheirText } from './TheirText';
import { TwoTexts } from './TwoTexts';
import { author, keepDraft, owner, readDraft, setAuthor, type Draft } from './draft';
import { mended, outlineOf, usesAt } from './edits';

const noProblems: Problem[] = [];
const noBlocks: never[] = [];

interface Props {
  lab: LabState;
  past: boolean;
  /** A line to go to, set from elsewhere; a new object goes there again. */
  line: { line: number } | undefined;
}

/** The lab's text, with the draft that the tab or the server keeps. */
export default function TextView(props: Props) {
  const { id } = useFocus();
  const here = readDraft(id);
  const kept = useKeptDrafts(id);
  if (here === undefined && kept.isPending) return <Waiting what="looking for a draft" />;
  const there = kept.data?.find((d) => d.owner === owner());
  const others = kept.data?.filter((d) => d.owner !== owner()) ?? [];
  return (
    <Text {...props} found={here ?? (there && { text: there.text, base: there.base })} others={others} />
  );
}

type Panel = 'problems' | 'preview' | 'outline' | 'revisions' | 'brief';
const panels: [Panel, string][] = [
  ['problems', 'Problems'],
  ['preview', 'Preview'],
  ['outline', 'Outline'],
  ['revisions', 'Revisions'],
  ['brief', 'Brief'],
];

/** A draft until it is applied: its problems, its effect, and the ways to write it. */
function Text({ lab, past, line, found, others }: Props & { found: Draft | undefined; others: KeptDraft[] }) {
  const { id, focus } = useFocus();
  const running = useWarnings(id, focus.when);
  const [draft, setDraft] = useState(() => found ?? { text: lab.text, base: lab.textSeq });
  const [went, setPlace] = useState<{ line: number; column: number }>();
  const [panel, setPanel] = useState<Panel>('problems');
  const [plan, setPlan] = useState<Plan>(noPlan);
  const [who, setWho] = useState(author);
  const [shown, setShown] = useState<{ preview: Previewed; text: string; plan: Plan }>();
  const [overtaken, setOvertaken] = useState('');
  const [beside, setBeside] = useState<string[]>([]);
  const [pair, setPair] = useState<{ before: number; after: number }>();
  const [named, setNamed] = useState<Named>();
  const act = useAct(id);
  const preview = usePreview(id);
  const adopt = useApplyPreview(id);
  const dirty = draft.text !== lab.text;
  const busy = act.isPending || adopt.isPending || preview.isPending;
  const place = went ?? (line && { line: line.line, column: 1 });

  // A text that was applied elsewhere is shown at once if nothing was written here.
  if (!dirty && draft.base !== lab.textSeq) setDraft({ text: lab.text, base: lab.textSeq });
  const untouched = readDraft(id) === undefined && found === undefined;
  if (dirty && untouched && draft.base !== lab.textSeq && !busy)
    setDraft({ text: lab.text, base: lab.textSeq });

  const settled = useDelayed(draft.text, 150);
  const checked = useQuery({
    queryKey: ['check', id, lab.textSeq, settled],
    queryFn: () =>
      unwrap(http.POST('/api/labs/{id}/check', { params: { path: { id } }, body: { text: settled } })),
    placeholderData: (p) => p,
  });
  const outline = useQuery({
    queryKey: ['outline', settled],
    queryFn: () => outlineOf(settled),
    enabled: panel === 'outline' || beside.length > 0,
    placeholderData: (p) => p,
  });
  // What was said of the text before is not said of this one.
  const checking = settled !== draft.text || checked.isPlaceholderData || checked.isPending;
  const problems = checked.data?.problems ?? noProblems;
  const errors = problems.filter((p) => p.severity === 'error').length;
  const blocks = outline.data && settled === draft.text ? outline.data : noBlocks;
  const touched = checked.data?.touched ?? [];

  const change = useCallback(
    (text: string) => {
      setDraft((d) => {
        const next = { text, base: d.base };
        keepDraft(id, text === lab.text ? undefined : next);
        return next;
      });
    },
    [id, lab.text],
  );
  const applied = (seq: number) => {
    keepDraft(id, undefined);
    setShown(undefined);
    setOvertaken('');
    setPlan(noPlan);
    setDraft((d) => ({ text: d.text, base: seq }));
  };
  // Who and why can be said after the preview; what is done, and in which order, cannot.
  const fresh =
    shown && shown.text === draft.text && samePlan(shown.plan, plan, touched) ? shown.preview : undefined;
  const look = () => {
    if (past || busy || errors > 0 || !dirty) return;
    setPanel('preview');
    setOvertaken('');
    const order = plan.staged ? orderOf(plan, touched).map((n) => [n]) : [];
    preview.mutate(
      {
        text: draft.text,
        base: draft.base,
        guard: plan.guard,
        author: who,
        message: plan.message,
        ...(order.length > 1 ? { order, pause: plan.pause } : {}),
      },
      { onSuccess: (p) => setShown({ preview: p, text: draft.text, plan }) },
    );
  };
  const apply = (base = draft.base) => {
    if (past || busy || !dirty) return;
    setOvertaken('');
    if (fresh) {
      adopt.mutate(
        { preview: fresh.id, author: who, message: plan.message },
        {
          onSuccess: (a) => {
            if (fresh.takenBack) {
              setShown(undefined);
              setDraft((d) => ({ text: d.text, base: a.seq }));
            } else applied(a.seq);
          },
          onError: (e) => void takeAgain(e),
        },
      );
      return;
    }
    act.mutate(
      { action: 'apply', text: draft.text, base, author: who, message: plan.message },
      { onSuccess: (a) => applied(a.seq) },
    );
  };
  // The lab moved on since the preview: the server made another one, which is shown before anything is applied.
  const takeAgain = async (e: Error) => {
    const again =
      e instanceof ApiError ? e.details.find((d) => d.location === 'preview')?.message : undefined;
    if (!again) return;
    adopt.reset();
    setOvertaken(e.message);
    const p = await unwrap(
      http.GET('/api/labs/{id}/previews/{preview}', { params: { path: { id, preview: again } } }),
    );
    setShown({ preview: p, text: draft.text, plan });
  };
  const discard = () => {
    keepDraft(id, undefined);
    act.reset();
    preview.reset();
    adopt.reset();
    setShown(undefined);
    setDraft({ text: lab.text, base: lab.textSeq });
  };
  const format = async () => {
    const out = await unwrap(http.POST('/api/text/format', { body: { text: draft.text } }));
    change(out.text);
  };
  const goBack = async (seq: number) => {
    const texts = await unwrap(
      http.GET('/api/labs/{id}/revision-pair', {
        params: { path: { id }, query: { before: seq, after: seq } },
      }),
    );
    setPlan({ ...noPlan, message: `back to revision ${seq}` });
    change(texts.after);
    setPanel('problems');
  };
  const ask = useCallback((text: string, l: number, column: number) => {
    usesAt(text, l, column).then(setNamed, () => setNamed(undefined));
  }, []);
  const failure = act.error ?? preview.error ?? adopt.error;
  const moved = failure instanceof ApiError && failure.status === 409 ? failure : undefined;

  return (
    <Flex h="full" minH={0}>
      <Flex direction="column" flex={1} minW={0}>
        <Flex
          px={4}
          py={2}
          gap={2}
          align="center"
          wrap="wrap"
          borderBottom="1px solid"
          borderColor="line"
          bg="paper"
        >
          <Main onClick={look} disabled={!dirty || errors > 0 || past} loading={preview.isPending}>
            Preview
          </Main>
          <Plain
            onClick={() => apply()}
            disabled={!dirty || errors > 0 || past}
            loading={act.isPending || adopt.isPending}
            title={fresh ? 'exactly what the preview shows' : 'without a preview'}
          >
            Apply
          </Plain>
          <Plain onClick={discard} disabled={!dirty}>
            Discard draft
          </Plain>
          <Plain onClick={() => void format()} disabled={errors > 0 || past}>
            Format
          </Plain>
          <Plain onClick={() => save(`${lab.title}.lab`, 'text/plain', draft.text)}>Save as file</Plain>
          <Quiet
            data-testid="draft-state"
            truncate
            title="A draft is kept by the server. Ctrl+Enter previews it, Ctrl+Shift+Enter applies it, F2 renames."
          >
            {past ? 'Go back to now to change it.' : dirty ? 'Draft' : 'Matches the running network'}
          </Quiet>
        </Flex>
        {failure && !moved && (
          <Box px={4}>
            <Trouble error={failure} />
          </Box>
        )}
        {moved && (
          <TheirText error={moved} mine={draft.text} applyAnyway={(seq) => apply(seq)} discard={discard} />
        )}
        <Box flex={1} minH={0}>
          {pair ? (
            <TwoTexts before={pair.before} after={pair.after} close={() => setPair(undefined)} />
          ) : beside.length > 0 && blocks.length > 0 ? (
            <SideBySide
              names={beside}
              blocks={blocks}
              text={draft.text}
              problems={problems}
              change={change}
              apply={look}
              close={() => setBeside([])}
              readOnly={past}
            />
          ) : (
            <Editor
              text={draft.text}
              problems={problems}
              change={change}
              apply={(now) => (now ? apply() : look())}
              goto={place}
              name={ask}
              readOnly={past}
            />
          )}
        </Box>
      </Flex>
      <Box
        w={panel === 'preview' ? '420px' : '320px'}
        flexShrink={0}
        borderLeft="1px solid"
        borderColor="line"
        overflow="auto"
        p={3}
        bg="paper"
        tabIndex={0}
        aria-label="Problems and changes"
      >
        <Flex gap={1} mb={3} wrap="wrap">
          {panels
            .filter(([name]) => name !== 'brief' || lab.brief)
            .map(([name, title]) => (
              <Choice key={name} on={panel === name} onClick={() => setPanel(name)}>
                {title}
              </Choice>
            ))}
        </Flex>
        {named && (
          <NamePanel
            key={`${named.kind} ${named.in ?? ''} ${named.name}`}
            named={named}
            text={draft.text}
            change={change}
            goto={(l, column) => setPlace({ line: l, column })}
            close={() => setNamed(undefined)}
            readOnly={past}
          />
        )}
        {checked.error && <Trouble error={checked.error} />}
        {panel === 'problems' && (
          <ProblemsPanel
            problems={problems}
            checking={checking}
            changes={dirty && !checking && checked.data?.ok ? checked.data.changes : undefined}
            running={dirty ? undefined : running.data}
            goto={(l, column) => setPlace({ line: l, column })}
            fix={(p) => p.fix && change(mended(draft.text, p.line, p.fix))}
            readOnly={past}
          />
        )}
        {panel === 'preview' && (
          <>
            {!dirty && !shown && (
              <Quiet>Write a change into the text: its effect is shown here before you apply it.</Quiet>
            )}
            {dirty && (
              <StagePlan
                plan={plan}
                touched={touched}
                change={setPlan}
                author={who}
                setAuthor={(n) => {
                  setWho(n);
                  setAuthor(n);
                }}
              />
            )}
            {overtaken && (
              <Box bg="ochreSoft" color="ochre" px={3} py={2} mb={2} borderRadius="md" role="status">
                {overtaken}
              </Box>
            )}
            {preview.isPending && <Waiting what="trying it on a copy of the network" />}
            {dirty && !shown && !preview.isPending && errors === 0 && (
              <Quiet>
                Preview runs the draft on a copy of the network; nothing happens to the network itself.
              </Quiet>
            )}
            {shown && <PreviewPanel preview={shown.preview} stale={fresh === undefined} />}
          </>
        )}
        {panel === 'brief' && <BriefText />}
        {panel === 'outline' && (
          <OutlinePanel
            blocks={blocks}
            text={draft.text}
            change={change}
            goto={(l) => {
              setBeside([]);
              setPlace({ line: l, column: 1 });
            }}
            uses={(l, column) => ask(draft.text, l, column)}
            beside={setBeside}
            readOnly={past}
          />
        )}
        {panel === 'revisions' && (
          <RevisionsPanel
            compare={(before, after) => setPair({ before, after })}
            goBack={(seq) => void goBack(seq)}
          />
        )}
        {panel === 'problems' && !dirty && !past && others.length > 0 && (
          <Box mt={4} data-testid="others">
            <Box as="h2" fontSize="13px" mb={1}>
              Drafts of others
            </Box>
            {others.slice(0, 5).map((d) => (
              <Flex key={d.owner} align="center" gap={2} mb={1}>
                <Box flex={1}>
                  {d.author || 'somebody'} <Quiet>{new Date(d.updated).toLocaleString()}</Quiet>
                </Box>
                <Plain
                  size="xs"
                  h="22px"
                  onClick={() => {
                    keepDraft(id, { text: d.text, base: d.base });
                    setDraft({ text: d.text, base: d.base });
                  }}
                >
                  go on with a copy
                </Plain>
              </Flex>
            ))}
          </Box>
        )}
        {panel === 'problems' && !dirty && (
          <Quiet display="block" mt={4}>
            Write here what the network should be. Problems show as you type; nothing happens to the network
            until you apply, and the preview shows what that would do.
          </Quiet>
        )}
      </Box>
    </Flex>
  );
}

/** A value, once it has stopped changing for a while. */
function useDelayed<T>(value: T, ms: number): T {
  const [late, setLate] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLate(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return late;
}
