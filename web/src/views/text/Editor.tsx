import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { indentUnit } from '@codemirror/language';
import { lintGutter, lintKeymap, setDiagnostics } from '@codemirror/lint';
import { EditorState, type Extension } from '@codemirror/state';
import { EditorView, drawSelection, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { useEffect, useRef } from 'react';
import type { Problem } from '../../shared/api/client';
import { expandHere, labLanguage, wholeText } from './language';
import { offerCursor } from '../../shared/focus/cursor';

const c = (name: string) => `var(--chakra-colors-${name})`;

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '12.5px', backgroundColor: c('panel'), color: c('ink') },
  '.cm-scroller': {
    fontFamily: 'var(--chakra-fonts-mono)',
    lineHeight: '1.55',
    fontVariantLigatures: 'none',
  },
  '&.cm-focused': { outline: 'none' },
  '.cm-gutters': { backgroundColor: c('panel'), color: c('quiet'), borderRight: `1px solid ${c('line')}` },
  '.cm-activeLine': { backgroundColor: 'color-mix(in srgb, ' + c('chosen') + ' 55%, transparent)' },
  '.cm-activeLineGutter': { backgroundColor: c('chosen') },
  '.cm-cursor': { borderLeftColor: c('ink') },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: c('plum-soft') + ' !important',
  },
  '.cm-tooltip': {
    backgroundColor: c('raised'),
    color: c('ink'),
    border: `1px solid ${c('line')}`,
    borderRadius: '6px',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: c('plum'), color: c('on-plum') },
  '.cm-completionDetail': { color: c('quiet'), fontStyle: 'normal' },
  '.cm-tooltip-autocomplete ul li[aria-selected] .cm-completionDetail': { color: c('on-plum') },
  '.cm-diagnostic-error': { borderLeftColor: c('brick') },
  '.cm-diagnostic-warning': { borderLeftColor: c('ochre') },
  '.hb-help': { padding: '6px 10px', maxWidth: '420px', fontFamily: 'var(--chakra-fonts-body)' },
  '.hb-help pre': { fontFamily: 'var(--chakra-fonts-mono)', margin: 0 },
  '.hb-help code': { fontFamily: 'var(--chakra-fonts-mono)', color: c('plum'), display: 'block' },
});

interface Props {
  text: string;
  problems: Problem[];
  change: (text: string) => void;
  /** Previews the draft, or applies it now. */
  apply: (now: boolean) => void;
  /** Asks for the name under the cursor: to see where it is, to rename it. */
  name: (text: string, line: number, column: number) => void;
  label?: string;
  /** Long lines go on below; else they scroll. */
  wrap?: boolean;
  /** A place to go to: line and column from 1. A new object goes there again. */
  goto: { line: number; column: number } | undefined;
  readOnly: boolean;
  /** The whole text that this one is a part of, and how many lines are above it. */
  whole?: (part: string) => { text: string; above: number };
}

/** A problem's fix, offered where the pointer rests on it. */
const fixAction = (p: Problem) => ({
  name: p.fix?.title ?? '',
  apply: (v: EditorView) => {
    if (!p.fix) return;
    const l = v.state.doc.line(p.line);
    v.dispatch({
      changes: {
        from: l.from + p.fix.column - 1,
        to: Math.min(l.to, l.from + p.fix.end - 1),
        insert: p.fix.text,
      },
    });
  },
});

const nameHere = (name: Props['name']) => (v: EditorView) => {
  const l = v.state.doc.lineAt(v.state.selection.main.head);
  name(v.state.doc.toString(), l.number, v.state.selection.main.head - l.from + 1);
  return true;
};

/** The editor of the lab text. */
export function Editor({
  text,
  problems,
  change,
  apply,
  goto,
  name,
  readOnly,
  label = 'Lab text',
  wrap = true,
  whole,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  /** What the editor has: a long text is put together once a key. */
  const has = useRef(text);
  const calls = useRef({ change, apply, name, whole });
  useEffect(() => {
    calls.current = { change, apply, name, whole };
  });

  useEffect(() => {
    if (!host.current) return;
    const extensions: Extension = [
      lineNumbers({
        formatNumber: (n) => String(n + (calls.current.whole?.('').above ?? 0)),
      }),
      wholeText.of((part) => calls.current.whole?.(part) ?? { text: part, above: 0 }),
      history(),
      drawSelection(),
      highlightActiveLine(),
      ...(wrap ? [EditorView.lineWrapping] : []), // a brief has long lines
      indentUnit.of('  '),
      EditorState.tabSize.of(2),
      EditorState.readOnly.of(readOnly),
      keymap.of([
        { key: 'Mod-e', run: expandHere },
        { key: 'Mod-Enter', run: () => (calls.current.apply(false), true) },
        { key: 'Mod-Shift-Enter', run: () => (calls.current.apply(true), true) },
        { key: 'F2', run: nameHere((...at) => calls.current.name(...at)) },
        indentWithTab,
        ...defaultKeymap,
        ...historyKeymap,
        ...lintKeymap,
      ]),
      labLanguage,
      lintGutter(),
      look,
      EditorView.contentAttributes.of({ 'aria-label': label }),
      EditorView.updateListener.of((u) => {
        if (!u.docChanged) return;
        has.current = u.state.doc.toString();
        calls.current.change(has.current);
      }),
    ];
    const v = new EditorView({ parent: host.current, state: EditorState.create({ doc: text, extensions }) });
    v.scrollDOM.tabIndex = 0; // it scrolls by keys too
    view.current = v;
    has.current = text;
    const withdraw = offerCursor(() => {
      const doc = v.state.doc;
      const at = v.state.selection.main.head;
      const line = doc.lineAt(at);
      const part = doc.toString();
      const { text: all, above } = calls.current.whole?.(part) ?? { text: part, above: 0 };
      return { text: all, line: line.number + above, column: at - line.from + 1 };
    });
    return () => {
      withdraw();
      v.destroy();
    };
    // The text is the editor's own once it is made; a new one comes by the effect below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [readOnly, wrap]);

  useEffect(() => {
    const v = view.current;
    const old = has.current;
    if (v && old !== text) {
      // Only what is different, so that the cursor stays and one step undoes it.
      let from = 0;
      while (from < Math.min(old.length, text.length) && old[from] === text[from]) from++;
      let end = 0;
      while (
        end < Math.min(old.length, text.length) - from &&
        old[old.length - 1 - end] === text[text.length - 1 - end]
      )
        end++;
      v.dispatch({ changes: { from, to: old.length - end, insert: text.slice(from, text.length - end) } });
    }
  }, [text]);

  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const doc = v.state.doc;
    const place = (line: number, column: number) => {
      const l = doc.line(Math.min(Math.max(1, line), doc.lines));
      return Math.min(l.from + column - 1, l.to);
    };
    v.dispatch(
      setDiagnostics(
        v.state,
        problems.map((p) => ({
          from: place(p.line, p.column),
          to: Math.max(place(p.line, p.end), place(p.line, p.column)),
          severity: p.severity,
          message: p.hint ? `${p.message}: ${p.hint}` : p.message,
          actions: p.fix ? [fixAction(p)] : [],
        })),
      ),
    );
  }, [problems]);

  useEffect(() => {
    const v = view.current;
    if (!v || !goto) return;
    const l = v.state.doc.line(Math.min(Math.max(1, goto.line), v.state.doc.lines));
    const at = Math.min(l.from + goto.column - 1, l.to);
    v.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) });
    v.focus();
  }, [goto]);

  return <div ref={host} style={{ height: '100%' }} data-testid="editor" />;
}
