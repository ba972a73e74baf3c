import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { Facet, type EditorState } from '@codemirror/state';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { hoverTooltip, type EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { http, unwrap } from '../../shared/api/client';
import { asEdit } from '../../shared/api/asEdit';
import { expandSeries, isSeries } from './series';

/** The lab language for the eye only: what a text means is the server's to say. */
const lab = StreamLanguage.define<{ first: boolean }>({
  startState: () => ({ first: true }),
  token(stream, state) {
    if (stream.sol()) state.first = true;
    if (stream.eatSpace()) return null;
    if (stream.match(/^#.*/)) return 'comment';
    if (stream.match(/^"[^"]*"?/)) return 'string';
    if (stream.match(/^\d[\w./%]*/)) return 'number';
    stream.match(/^[^\s"#]+/);
    const head = state.first;
    state.first = false;
    return head ? 'keyword' : 'variableName';
  },
});

const colours = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--chakra-colors-plum)', fontWeight: '600' },
  { tag: tags.comment, color: 'var(--chakra-colors-quiet)', fontStyle: 'italic' },
  { tag: tags.string, color: 'var(--chakra-colors-ochre)' },
  { tag: tags.number, color: 'var(--chakra-colors-leaf)' },
]);

/** Writes the series on the line of the cursor out; false if there is none. */
export function expandHere(view: EditorView): boolean {
  const doc = view.state.doc;
  const line = doc.lineAt(view.state.selection.main.head);
  if (!isSeries(line.text)) return false;
  const made = expandSeries(doc.toString().split('\n'), line.number - 1);
  if (!made || 'problem' in made) return false;
  const from = doc.line(made.from + 1).from;
  view.dispatch({
    changes: { from, to: doc.line(made.to).to, insert: made.text },
    selection: { anchor: from + made.text.length },
    scrollIntoView: true,
    userEvent: 'input.complete',
  });
  return true;
}

/** A line with a series offers to be written out. */
function series(context: CompletionContext): CompletionResult | null {
  const doc = context.state.doc;
  const line = doc.lineAt(context.pos);
  if (!isSeries(line.text)) return null;
  const made = expandSeries(doc.toString().split('\n'), line.number - 1);
  if (!made) return null;
  const label = 'problem' in made ? made.problem : `write out ${made.count} times`;
  return {
    from: context.pos,
    options: [{ label, detail: 'Ctrl-E', type: 'text', apply: (view) => void expandHere(view) }],
    filter: false,
  };
}

type Whole = (part: string) => { text: string; above: number };

/** The whole text that an editor has a part of, and how many lines are above the part. */
export const wholeText = Facet.define<Whole, Whole>({
  combine: (given) => given[0] ?? ((part) => ({ text: part, above: 0 })),
});

const wholeOf = (state: EditorState) => state.facet(wholeText)(state.doc.toString());

async function complete(context: CompletionContext): Promise<CompletionResult | null> {
  const line = context.state.doc.lineAt(context.pos);
  const column = context.pos - line.from + 1;
  if (!context.explicit && !context.matchBefore(/[\w.-]+/) && !/\S $/.test(line.text.slice(0, column - 1)))
    return null;
  const whole = wholeOf(context.state);
  const found = await asEdit(whole.text, (body) =>
    unwrap(http.POST('/api/text/complete', { body: { ...body, line: line.number + whole.above, column } })),
  );
  if (context.aborted || found.suggestions.length === 0) return null;
  return {
    from: line.from + found.from - 1,
    options: found.suggestions.map((s) => ({
      label: s.label,
      detail: s.detail ?? '',
      info: s.help ?? '',
      type: s.kind === 'word' ? 'keyword' : 'variable',
      // What takes arguments goes on with them.
      ...(s.kind === 'word' && (s.detail ?? s.label) !== s.label ? { apply: `${s.label} ` } : {}),
    })),
    validFor: /^[\w.-]*$/,
  };
}

/** What a word means, where the pointer rests on it, and what counts at the place that it names. */
const help = hoverTooltip(async (view, pos) => {
  const word = view.state.wordAt(pos);
  if (!word) return null;
  const line = view.state.doc.lineAt(pos);
  const whole = wholeOf(view.state);
  const known = await unwrap(
    http.POST('/api/text/hover', {
      body: { text: whole.text, line: line.number + whole.above, column: pos - line.from + 1 },
    }),
  );
  if (known.help.length === 0 && known.holds.length === 0) return null;
  return {
    pos: word.from,
    create: () => {
      const dom = document.createElement('div');
      dom.className = 'hb-help';
      const add = (tag: string, text: string) => {
        dom.appendChild(document.createElement(tag)).textContent = text;
      };
      for (const r of known.help) {
        add('code', r.detail ?? '');
        add('div', r.help ?? '');
      }
      if (known.holds.length > 0) add('b', `In force for ${known.place ?? ''}`);
      for (const h of known.holds.slice(0, maxShown)) {
        const said = h.from ? `   ${h.from}, line ${h.line}` : '';
        add('pre', `${'  '.repeat(h.depth)}${h.text}${said}`);
      }
      if (known.holds.length > maxShown) add('div', `and ${known.holds.length - maxShown} more`);
      return { dom };
    },
  };
});

const maxShown = 24;

export const labLanguage = [
  lab,
  syntaxHighlighting(colours),
  autocompletion({
    override: [series, complete],
    activateOnTypingDelay: 60,
    activateOnCompletion: (c) => typeof c.apply === 'string',
    icons: false,
  }),
  help,
];
