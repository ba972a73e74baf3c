import { Box, Flex, chakra } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { ask } from '../shared/api/questions';
import { withinWords } from '../shared/failing/words';
import { useFocus, type View } from '../shared/focus/focus';
import { effectWords, extent, harmOf } from '../shared/draft/harm';
import { Hunks } from '../shared/draft/Hunks';
import { useDrafting } from '../shared/draft/drafting';
import { Main, Plain, Quiet } from '../shared/parts/parts';
import { useKeys } from '../shared/parts/keys';
import { plural } from '../shared/parts/words';
import { PreviewPanel } from '../views/text/PreviewPanel';

type Open = '' | 'lines' | 'effect';

/** The draft, on every view as soon as there is one: what it changes, what it would do, and what to do with it. */
export function DraftBar({ view }: { view: View }) {
  const d = useDrafting();
  const { id, show } = useFocus();
  const [open, setOpen] = useState<Open>('');
  // The text whose harm was read, and is to be applied all the same.
  const [warned, setWarned] = useState('');
  const { effect } = d;
  const fresh = effect.fresh;
  const failures = useQuery(ask.previewFailures(id, fresh?.id ?? ''));
  const harm = fresh ? harmOf(fresh) : [];
  // The text that is applied as soon as its preview is there.
  const [awaited, setAwaited] = useState('');
  const now = useRef<() => void>(undefined);
  const ready = awaited !== '' && awaited === d.draft.text && d.effect.fresh !== undefined;
  useEffect(() => {
    if (!ready) return;
    const timer = setTimeout(() => {
      setAwaited('');
      now.current?.();
    }, 0);
    return () => clearTimeout(timer);
  }, [ready]);
  const asking = warned === d.draft.text && harm.length > 0;
  const apply = () => {
    if (effect.previewing && !fresh) {
      setAwaited(d.draft.text);
      return;
    }
    if (harm.length > 0 && !asking) {
      setWarned(d.draft.text);
      return;
    }
    setWarned('');
    effect.apply();
  };
  useEffect(() => {
    now.current = apply;
  });
  const [refused, setRefused] = useState('');
  useEffect(() => {
    if (!refused) return;
    const timer = setTimeout(() => setRefused(''), 4000);
    return () => clearTimeout(timer);
  }, [refused]);
  useKeys({
    'Ctrl+Shift+enter': () => {
      const why = d.past
        ? 'Go back to now to apply a draft.'
        : !d.dirty
          ? 'There is no draft to apply.'
          : d.errors > 0
            ? 'The draft has errors: mend them before it is applied.'
            : '';
      setRefused(why);
      if (!why) apply();
    },
  });
  const no = refused && (
    <Box px={3} py={1} bg="ochreSoft" color="ochre" role="status">
      {refused}
    </Box>
  );
  if (d.past) return no || null;
  if (!d.dirty) return no || (d.atOnce && d.undo ? <AsYouGo undo={d.undo} redo={d.redo} /> : null);
  const toggle = (o: Open) => setOpen(open === o ? '' : o);
  const failure = effect.failure ?? d.gestureError;
  const look = () => {
    d.look();
    if (view !== 'text') setOpen('effect');
  };
  return (
    <Box
      as="section"
      aria-label="Draft"
      bg="plumSoft"
      borderTop="2px solid"
      borderColor="plum"
      flexShrink={0}
      data-testid="draft-bar"
    >
      {no}
      {open !== '' && view !== 'text' && (
        <Box
          maxH="38vh"
          overflowY="auto"
          px={4}
          py={2}
          bg="panel"
          tabIndex={0}
          aria-label="What the draft changes"
        >
          {open === 'lines' && <Hunks lines={d.lines} />}
          {open === 'effect' &&
            (effect.shown ? (
              <PreviewPanel preview={effect.shown.preview} stale={!fresh} />
            ) : (
              <Quiet>
                {effect.previewing ? 'trying it on a copy of the network' : 'Preview shows what it would do.'}
              </Quiet>
            ))}
        </Box>
      )}
      <Flex px={3} py="5px" gap={2} align="center" wrap="wrap">
        <chakra.button
          fontWeight="650"
          color="plum"
          textDecoration={view === 'text' ? undefined : 'underline'}
          aria-expanded={open === 'lines'}
          onClick={() => toggle('lines')}
          disabled={view === 'text'}
        >
          Draft:{' '}
          {d.checking && d.lines.length === 0 ? 'being checked' : extent(d.lines, d.touched, d.changes)}
        </chakra.button>
        <Box flex={1} minW="160px" truncate role="status" data-testid="draft-effect">
          {d.errors > 0 ? (
            <chakra.button color="brick" textDecoration="underline" onClick={() => void show('text')}>
              {plural(d.errors, 'error')}: {d.problems.find((p) => p.severity === 'error')?.message}
            </chakra.button>
          ) : failure && view !== 'text' ? (
            <Box as="span" color="brick">
              {failure.message}
            </Box>
          ) : effect.overtaken && view !== 'text' ? (
            <Box as="span" color="ochre" title={effect.overtaken}>
              {effect.overtaken}
            </Box>
          ) : asking ? (
            <Box as="span" color="brick" fontWeight="600">
              {harm.join(', ')}. Apply it all the same?
            </Box>
          ) : fresh ? (
            <chakra.button
              color={harm.length > 0 ? 'brick' : 'ink'}
              onClick={() => (view === 'text' ? d.look() : toggle('effect'))}
              title="the whole effect"
              maxW="full"
              truncate
            >
              {effectWords(fresh)}
              {failures.data && failures.data.worse > 0 && (
                <Box as="span" color="brick">
                  ; {withinWords(failures.data)}
                </Box>
              )}
            </chakra.button>
          ) : (
            <Quiet>{effect.previewing ? 'trying it on a copy of the network' : ''}</Quiet>
          )}
        </Box>
        <Plain onClick={d.undo} disabled={!d.undo} title="Ctrl+Z">
          Undo
        </Plain>
        <Plain onClick={d.redo} disabled={!d.redo} title="Ctrl+Shift+Z">
          Redo
        </Plain>
        <Plain onClick={look} disabled={d.errors > 0}>
          Preview
        </Plain>
        <Main
          onClick={apply}
          disabled={d.errors > 0}
          loading={effect.applying || (effect.previewing && awaited === d.draft.text)}
          title={`${fresh ? 'exactly what the preview shows' : 'without a preview'} (Ctrl+Shift+Enter)`}
        >
          {asking ? 'Apply all the same' : 'Apply'}
        </Main>
        <Plain onClick={d.discard}>Discard draft</Plain>
      </Flex>
    </Box>
  );
}

/** Shown instead of the draft bar while each gesture is applied at once. */
function AsYouGo({ undo, redo }: { undo: () => void; redo: (() => void) | undefined }) {
  return (
    <Flex
      as="section"
      aria-label="Draft"
      px={3}
      py="5px"
      gap={2}
      align="center"
      borderTop="1px solid"
      borderColor="line"
      bg="panel"
    >
      <Quiet flex={1}>Every change is applied as you go.</Quiet>
      <Plain onClick={undo} title="Ctrl+Z">
        Undo
      </Plain>
      <Plain onClick={redo} disabled={!redo} title="Ctrl+Shift+Z">
        Redo
      </Plain>
    </Flex>
  );
}
