import { useIsMutating, useQuery } from '@tanstack/react-query';
import { useEffect, useLayoutEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import type { Hunk, LabState } from '../shared/api/client';
import { useAct } from '../shared/api/orders';
import { ask } from '../shared/api/questions';
import { DraftingContext, HandsContext, type Drafting, type Hands } from '../shared/draft/drafting';
import { edited } from '../shared/draft/edits';
import { author, owner, setAuthor } from '../shared/draft/kept';
import { useChecked } from '../shared/draft/useChecked';
import { useDraft } from '../shared/draft/useDraft';
import { usePreview } from '../shared/draft/usePreview';

/** How long nobody writes before a draft is tried by itself, and how long the last try may have taken for that. */
const pause = 500;
const cheap = 1500;

const onceKey = (id: string) => `hellebore-at-once-${id}`;

interface Props {
  id: string;
  lab: LabState;
  past: boolean;
  children: ReactNode;
}

/** Holds the draft of a lab for all views. */
export function DraftProvider({ id, lab, past, children }: Props) {
  const kept = useQuery(ask.drafts(id));
  const there = kept.data?.find((d) => d.owner === owner());
  const found = kept.isPending ? undefined : there ? { text: there.text, base: there.base } : null;
  const busy = useIsMutating() > 0;
  const { draft, dirty, byKeys, change, take, applied, discard, previous, next, undo, redo } = useDraft(
    id,
    lab,
    found,
    busy,
  );
  const checked = useChecked(id, lab, draft.text, byKeys);
  const [who, setWho] = useState(author);
  const [looked, setLooked] = useState(0);
  const blocked = past || checked.errors > 0 || !dirty;
  const effect = usePreview({
    id,
    draft,
    author: who,
    touched: checked.touched,
    blocked,
    applied,
    inForce: lab.textSeq,
    actions: lab.actions.length,
    latestAction: lab.actions.at(-1)?.action ?? '',
  });
  // A lab without a device is under construction.
  const fresh = !/^(router|host) /m.test(lab.text);
  const [atOnce, setAtOnce] = useState(() => {
    const chosen = localStorage.getItem(onceKey(id));
    return chosen === null ? fresh : chosen === 'on';
  });

  const gesture = useAct(id);
  // The lines of a gesture are known before its text has been checked.
  const [ahead, setAhead] = useState<{ text: string; lines: Hunk[] }>();

  // A draft is tried by itself when its writer pauses, if that is cheap.
  const started = useRef(0);
  const took = useRef(0);
  useEffect(() => {
    if (effect.previewing) started.current = performance.now();
    else if (started.current > 0) {
      took.current = performance.now() - started.current;
      started.current = 0;
    }
  }, [effect.previewing]);
  const due =
    !blocked &&
    // What a gesture made is tried at once; what is typed, once it has been checked.
    (!byKeys || (!checked.checking && checked.settled === draft.text)) &&
    effect.fresh === undefined &&
    !effect.previewing &&
    !effect.applying &&
    !gesture.isPending &&
    !effect.failure;
  const look = useRef(effect.look);
  useEffect(() => {
    look.current = effect.look;
  });
  useEffect(() => {
    if (!due || took.current > cheap) return;
    const timer = setTimeout(() => look.current(), byKeys ? pause : 0);
    return () => clearTimeout(timer);
  }, [due, draft.text, byKeys]);

  // Gestures come one after the other: each edits the text that the one before it made.
  const latest = useRef(draft);
  useEffect(() => {
    latest.current = draft;
  }, [draft]);
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const applyNow = async (text: string) => {
    const done = await gesture.mutateAsync({
      action: 'apply',
      text,
      base: latest.current.base,
      author: who,
      message: '',
    });
    latest.current = { text, base: done.seq };
    applied(done.seq);
  };
  const inTurn = <T,>(what: () => Promise<T>) => {
    const turn = queue.current.then(what);
    queue.current = turn.catch(() => undefined);
    return turn;
  };
  const write = (text: string) => {
    latest.current = { ...latest.current, text };
    change(text, 'gesture');
  };
  const step = (text: string, take: () => void) => {
    latest.current = { ...latest.current, text };
    take();
    if (atOnce) void inTurn(() => applyNow(text));
  };
  const drafting: Drafting = {
    draft,
    dirty,
    past,
    change: (text) => {
      latest.current = { ...latest.current, text };
      change(text);
    },
    write,
    edit: (...edits) =>
      inTurn(async () => {
        let from = latest.current.text;
        let out = await edited(from, lab.text, ...edits);
        // What somebody typed meanwhile stays: the edit is of that text, too.
        while (latest.current.text !== from) {
          from = latest.current.text;
          out = await edited(from, lab.text, ...edits);
        }
        setAhead({ text: out.text, lines: out.lines });
        if (out.text === latest.current.text) return out.text;
        write(out.text);
        if (atOnce) await applyNow(out.text);
        return out.text;
      }),
    take,
    discard: () => {
      effect.reset();
      discard();
    },
    undo: past || previous === undefined ? undefined : () => step(previous, undo),
    redo: past || next === undefined ? undefined : () => step(next, redo),
    settled: checked.settled,
    checking: checked.checking,
    problems: checked.problems,
    errors: checked.errors,
    touched: checked.touched,
    changes: checked.changes,
    lines: ahead?.text === draft.text ? ahead.lines : checked.lines,
    checkError: checked.error,
    effect,
    gestureError: gesture.error,
    author: who,
    setAuthor: (name) => {
      setWho(name);
      setAuthor(name);
    },
    others: kept.data?.filter((d) => d.owner !== owner()) ?? [],
    looked,
    look: () => {
      setLooked((n) => n + 1);
      if (!effect.fresh) effect.look();
    },
    atOnce,
    setAtOnce: (on) => {
      setAtOnce(on);
      localStorage.setItem(onceKey(id), on ? 'on' : 'off');
    },
  };
  const current = useRef(drafting);
  useLayoutEffect(() => {
    current.current = drafting;
  });
  const hands: Hands = useMemo(
    () => ({
      past,
      edit: (...edits) => current.current.edit(...edits),
      write: (text) => current.current.write(text),
      text: () => current.current.draft.text,
      undo: () => current.current.undo?.(),
      redo: () => current.current.redo?.(),
    }),
    [past],
  );
  return (
    <HandsContext value={hands}>
      <DraftingContext value={drafting}>{children}</DraftingContext>
    </HandsContext>
  );
}
