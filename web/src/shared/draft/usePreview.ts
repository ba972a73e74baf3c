import { useEffect, useReducer, useRef } from 'react';
import { ApiError, http, unwrap, type Previewed } from '../api/client';
import { useAct, useApplyPreview, usePreviewRequest } from '../api/orders';
import { noPlan, orderOf, samePlan, type Plan } from './plan';
import type { Draft } from './kept';

interface State {
  plan: Plan;
  /** The last preview, with what it was of. */
  shown: { preview: Previewed; text: string; plan: Plan; after: number } | undefined;
  /** Why the lab is not as the preview found it, '' if it is. */
  overtaken: string;
  /** The text that was tried or applied last: what went wrong is said of it alone. */
  tried: string | undefined;
}

type Event =
  | { kind: 'planned'; plan: Plan }
  /** A preview or an apply begins. */
  | { kind: 'begun'; text: string; applying: boolean }
  /** after: how many actions the lab had. */
  | { kind: 'previewed'; preview: Previewed; text: string; plan: Plan; after: number }
  | { kind: 'overtaken'; why: string }
  /** The draft is no more, or another one: with its plan, if it was applied. */
  | { kind: 'over'; plan: Plan };

export function previewAfter(s: State, e: Event): State {
  switch (e.kind) {
    case 'planned':
      return { ...s, plan: e.plan };
    case 'begun':
      // That the lab moved on is said until the draft is another one, or applied.
      return { ...s, overtaken: e.applying || s.tried !== e.text ? '' : s.overtaken, tried: e.text };
    case 'previewed':
      return { ...s, shown: { preview: e.preview, text: e.text, plan: e.plan, after: e.after } };
    case 'overtaken':
      return { ...s, overtaken: e.why };
    case 'over':
      return { plan: e.plan, shown: undefined, overtaken: '', tried: undefined };
  }
}

interface Given {
  id: string;
  draft: Draft;
  author: string;
  /** What the draft touches, in which an order can be given. */
  touched: string[];
  /** Nothing can be tried or applied: it is the past, or the draft has errors or is none. */
  blocked: boolean;
  applied: (seq: number) => void;
  /** The action that applied the text in force. */
  inForce: number;
  /** How many actions the lab has: another one may change what the draft would do. */
  actions: number;
  /** The last of them. */
  latestAction: string;
}

/** The effect of a draft, found out on a copy of the network, and the ways to apply it. */
export function usePreview({
  id,
  draft,
  author,
  touched,
  blocked,
  applied,
  inForce,
  actions,
  latestAction,
}: Given) {
  const [state, dispatch] = useReducer(previewAfter, {
    plan: noPlan,
    shown: undefined,
    overtaken: '',
    tried: undefined,
  });
  const { plan, shown } = state;
  const latest = useRef(actions);
  useEffect(() => {
    latest.current = actions;
  }, [actions]);
  const act = useAct(id);
  const request = usePreviewRequest(id);
  const adopt = useApplyPreview(id);
  const busy = act.isPending || adopt.isPending || request.isPending;

  // Who and why can be said after the preview; what is done, and in which order, cannot.
  // A preview of a text that somebody else's has overtaken is not applied over theirs.
  const fresh =
    draft.base >= inForce &&
    shown &&
    shown.after === actions &&
    shown.text === draft.text &&
    samePlan(shown.plan, plan, touched)
      ? shown.preview
      : undefined;

  const movedOn =
    shown !== undefined &&
    shown.text === draft.text &&
    shown.after < actions &&
    state.overtaken === '' &&
    !busy;
  useEffect(() => {
    if (movedOn)
      dispatch({
        kind: 'overtaken',
        why: `the lab has moved on since the preview was made (${latestAction}): this is what the change would do now`,
      });
  }, [movedOn, latestAction]);

  const look = () => {
    if (blocked || busy) return false;
    dispatch({ kind: 'begun', text: draft.text, applying: false });
    const order = plan.staged ? orderOf(plan, touched).map((n) => [n]) : [];
    request.mutate(
      {
        text: draft.text,
        base: draft.base,
        guard: plan.guard,
        author,
        message: plan.message,
        ...(order.length > 1 ? { order, pause: plan.pause } : {}),
      },
      {
        onSuccess: (preview) =>
          dispatch({ kind: 'previewed', preview, text: draft.text, plan, after: actions }),
      },
    );
    return true;
  };

  // The lab moved on since the preview: the server made another one, which is shown before anything is applied.
  const takeAgain = async (e: Error) => {
    const again =
      e instanceof ApiError ? e.details.find((d) => d.location === 'preview')?.message : undefined;
    if (!again) return;
    adopt.reset();
    dispatch({ kind: 'overtaken', why: e.message });
    const preview = await unwrap(
      http.GET('/api/labs/{id}/previews/{preview}', { params: { path: { id, preview: again } } }),
    );
    dispatch({ kind: 'previewed', preview, text: draft.text, plan, after: latest.current });
  };

  const done = (seq: number, takenBack: boolean) => {
    dispatch({ kind: 'over', plan: takenBack ? plan : noPlan });
    applied(seq);
  };

  /** Applies what the preview shows, exactly, or else the draft as it is. */
  const apply = (base = draft.base) => {
    if (blocked || busy) return;
    dispatch({ kind: 'begun', text: draft.text, applying: true });
    if (fresh)
      adopt.mutate(
        { preview: fresh.id, author, message: plan.message },
        {
          onSuccess: (a) => done(a.seq, fresh.takenBack !== undefined),
          onError: (e) => void takeAgain(e),
        },
      );
    else
      act.mutate(
        { action: 'apply', text: draft.text, base, author, message: plan.message },
        { onSuccess: (a) => done(a.seq, false) },
      );
  };

  return {
    ...state,
    setPlan: (plan: Plan) => dispatch({ kind: 'planned', plan }),
    fresh,
    previewing: request.isPending,
    applying: act.isPending || adopt.isPending,
    failure: state.tried === draft.text ? (act.error ?? request.error ?? adopt.error) : null,
    look,
    apply,
    /** Forgets the preview and what went wrong. */
    reset: () => {
      act.reset();
      request.reset();
      adopt.reset();
      dispatch({ kind: 'over', plan });
    },
  };
}
