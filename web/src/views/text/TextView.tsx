import { Box, Flex } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useState } from 'react';
import { ApiError, http, unwrap, type LabState } from '../../shared/api/client';
import { plural } from '../../shared/parts/words';
import { ask } from '../../shared/api/questions';
import { useFocus } from '../../shared/focus/focus';
import { save } from '../../shared/parts/csv';
import { Choice, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { BriefText } from '../checks/BriefText';
import { Editor } from './Editor';
import { NamePanel, type Named } from './NamePanel';
import { OutlinePanel } from './OutlinePanel';
import { PreviewPanel } from './PreviewPanel';
import { ProblemsPanel } from './ProblemsPanel';
import { RevisionsPanel } from './RevisionsPanel';
import { SayOnce } from './SayOnce';
import { SideBySide } from './SideBySide';
import { useDrafting } from '../../shared/draft/drafting';
import { noPlan } from '../../shared/draft/plan';
import { StagePlan } from './StagePlan';
import { TheirText } from './TheirText';
import { TwoTexts } from './TwoTexts';
import { mended, outlineOf, usesAt } from '../../shared/draft/edits';

const noBlocks: never[] = [];

interface Props {
  lab: LabState;
  past: boolean;
  /** A line to go to, set from elsewhere; a new object goes there again. */
  line: { line: number } | undefined;
}

type Panel = 'problems' | 'preview' | 'outline' | 'revisions' | 'brief';
const panels: [Panel, string][] = [
  ['problems', 'Problems'],
  ['preview', 'Preview'],
  ['outline', 'Outline'],
  ['revisions', 'Revisions'],
  ['brief', 'Brief'],
];

/** The lab's text, or its draft: its problems, its effect, and the ways to write it. */
export default function TextView({ lab, past, line }: Props) {
  const { id, focus } = useFocus();
  const drafting = useDrafting();
  const { draft, dirty, change, write, take, settled, checking, problems, errors, touched, changes, effect } =
    drafting;
  const running = useQuery(ask.warnings(id, focus.when));
  const unwritten = running.data?.filter((w) => w.code === 'not-in-text').length ?? 0;
  const [went, setPlace] = useState<{ line: number; column: number }>();
  const [panel, setPanel] = useState<Panel>('problems');
  const [beside, setBeside] = useState<string[]>([]);
  const [pair, setPair] = useState<{ before: number; after: number }>();
  const [named, setNamed] = useState<Named>();
  const { plan, setPlan, shown, fresh } = effect;
  const place = went ?? (line && { line: line.line, column: 1 });
  const outline = useQuery({
    queryKey: ['outline', settled],
    queryFn: () => outlineOf(settled),
    enabled: panel === 'outline',
    placeholderData: (p) => p,
  });
  const blocks = outline.data && settled === draft.text ? outline.data : noBlocks;

  // Whoever asks for a preview, here or in the draft bar, sees it.
  const [looked, setLooked] = useState(drafting.looked);
  if (looked !== drafting.looked) {
    setLooked(drafting.looked);
    setPanel('preview');
  }
  const format = async () => {
    const out = await unwrap(http.POST('/api/text/format', { body: { text: draft.text } }));
    write(out.text);
  };
  const goBack = async (seq: number) => {
    const texts = await unwrap(
      http.GET('/api/labs/{id}/revision-pair', {
        params: { path: { id }, query: { before: seq, after: seq } },
      }),
    );
    setPlan({ ...noPlan, message: `back to revision ${seq}` });
    write(texts.after);
    setPanel('problems');
  };
  const nameAt = useCallback(
    (text: string, l: number, column: number) => {
      usesAt(text, l, column).then(setNamed, () => setNamed(undefined));
    },
    [setNamed],
  );
  const { failure } = effect;
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
          <Plain onClick={() => void format()} disabled={errors > 0 || past}>
            Format
          </Plain>
          <Plain onClick={() => save(`${lab.title}.lab`, 'text/plain', draft.text)}>Save as file</Plain>
          <Quiet
            data-testid="draft-state"
            truncate
            title="A draft is kept by the server. Ctrl+Enter previews it, Ctrl+Shift+Enter applies it, F2 renames."
          >
            {past
              ? 'Go back to now to change it.'
              : dirty
                ? 'Draft'
                : unwritten > 0
                  ? `${plural(unwritten, 'change')} by actions ${unwritten === 1 ? 'is' : 'are'} not in the text`
                  : 'Matches the running network'}
          </Quiet>
        </Flex>
        {failure && !moved && (
          <Box px={4}>
            <Trouble error={failure} />
          </Box>
        )}
        {moved && (
          <TheirText
            error={moved}
            mine={draft.text}
            applyAnyway={(seq) => effect.apply(seq)}
            discard={drafting.discard}
          />
        )}
        <Box flex={1} minH={0}>
          {pair ? (
            <TwoTexts before={pair.before} after={pair.after} close={() => setPair(undefined)} />
          ) : beside.length > 0 ? (
            <SideBySide
              names={beside}
              text={draft.text}
              problems={problems}
              change={change}
              apply={drafting.look}
              close={() => setBeside([])}
              readOnly={past}
            />
          ) : (
            <Editor
              text={draft.text}
              problems={problems}
              change={change}
              apply={(now) => (now ? effect.apply() : drafting.look())}
              goto={place}
              name={nameAt}
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
        {drafting.checkError && <Trouble error={drafting.checkError} />}
        {panel === 'problems' && (
          <ProblemsPanel
            problems={problems}
            checking={checking}
            changes={dirty && !checking ? changes : undefined}
            running={dirty ? undefined : running.data}
            goto={(l, column) => setPlace({ line: l, column })}
            fix={(p) => p.fix && write(mended(draft.text, p.line, p.fix))}
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
                author={drafting.author}
                setAuthor={drafting.setAuthor}
              />
            )}
            {effect.overtaken && (
              <Box bg="ochreSoft" color="ochre" px={3} py={2} mb={2} borderRadius="md" role="status">
                {effect.overtaken}
              </Box>
            )}
            {effect.previewing && <Waiting what="trying it on a copy of the network" />}
            {dirty && !shown && !effect.previewing && errors === 0 && (
              <Quiet>
                Preview runs the draft on a copy of the network; nothing happens to the network itself.
              </Quiet>
            )}
            {shown && <PreviewPanel preview={shown.preview} stale={fresh === undefined} />}
          </>
        )}
        {panel === 'brief' && <BriefText />}
        {panel === 'outline' && errors === 0 && <SayOnce text={settled} write={write} readOnly={past} />}
        {panel === 'outline' && (
          <OutlinePanel
            blocks={blocks}
            text={draft.text}
            change={change}
            goto={(l) => {
              setBeside([]);
              setPlace({ line: l, column: 1 });
            }}
            uses={(l, column) => nameAt(draft.text, l, column)}
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
        {panel === 'problems' && !dirty && !past && drafting.others.length > 0 && (
          <Box mt={4} data-testid="others">
            <Box as="h2" fontSize="13px" mb={1}>
              Drafts of others
            </Box>
            {drafting.others.slice(0, 5).map((d) => (
              <Flex key={d.owner} align="center" gap={2} mb={1}>
                <Box flex={1}>
                  {d.author || 'somebody'} <Quiet>{new Date(d.updated).toLocaleString()}</Quiet>
                </Box>
                <Plain size="xs" h="22px" onClick={() => take({ text: d.text, base: d.base })}>
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
