// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, test, vi } from 'vitest';
import type { Block, Problem, Revision } from '../../shared/api/client';
import { problem, show } from '../../shared/testing/app';
import { NamePanel, type Named } from './NamePanel';
import { OutlinePanel } from './OutlinePanel';
import { ProblemsPanel } from './ProblemsPanel';
import { RevisionsPanel } from './RevisionsPanel';
import { SayOnce } from './SayOnce';
import { keepDraft, owner, readDraft } from '../../shared/draft/kept';

const at = '/lab/x1/text';
const nothing = () => undefined;

const block = (kind: string, name: string, line: number, ports: string[] = []): Block => ({
  kind,
  name,
  from: line,
  line,
  to: line + ports.length,
  parts: ports.map((p, i) => ({ kind: 'port', name: p, line: line + 1 + i })),
});
const blocks = [
  block('router', 'mill', 1, ['e1', 'e2']),
  block('router', 'halt', 5, ['e1']),
  block('policy', 'out', 9),
];

function outline(answers: Record<string, unknown> = {}) {
  const change = vi.fn();
  const beside = vi.fn();
  const uses = vi.fn();
  const goto = vi.fn();
  const asked = show(
    <OutlinePanel
      blocks={blocks}
      text="the text"
      change={change}
      goto={goto}
      uses={uses}
      beside={beside}
      readOnly={false}
    />,
    answers,
    at,
  );
  return { change, beside, uses, goto, asked };
}

describe('the outline', () => {
  test('leads to blocks, and to where their names stand', async () => {
    const { goto, uses } = outline();
    await userEvent.click(screen.getByRole('button', { name: 'policy out' }));
    expect(goto).toHaveBeenCalledWith(9);
    await userEvent.click(screen.getAllByRole('button', { name: 'uses' })[2] as HTMLElement);
    expect(uses).toHaveBeenCalledWith(9, 9);
  });
  test('writes one statement to all ports that the filter finds', async () => {
    const { change, asked } = outline({ 'POST /api/text/edit': { text: 'the new text', lines: [] } });
    await userEvent.type(screen.getByLabelText('Filter the outline'), '.e1');
    await userEvent.click(screen.getByRole('button', { name: 'mark 2' }));
    await userEvent.type(screen.getByLabelText('Statement for all that are marked'), 'cost 20');
    await userEvent.click(screen.getByRole('button', { name: 'Write it to all' }));
    await vi.waitFor(() => expect(change).toHaveBeenCalledWith('the new text'));
    expect(asked[0]).toBe('POST /api/text/edit {"text":"the text","edits":["mill.e1, halt.e1 cost 20"]}');
  });
  test('says what is wrong with a statement, and keeps it', async () => {
    outline({ 'POST /api/text/edit': problem(422, 'cost is not allowed in mill') });
    await userEvent.click(screen.getByLabelText('Mark mill'));
    await userEvent.type(screen.getByLabelText('Statement for all that are marked'), 'cost 20');
    await userEvent.click(screen.getByRole('button', { name: 'Write it to all' }));
    expect(await screen.findByText('cost is not allowed in mill')).toBeTruthy();
    expect(screen.getByDisplayValue('cost 20')).toBeTruthy();
  });
  test('shows marked routers side by side, ports as their router', async () => {
    const { beside } = outline();
    await userEvent.click(screen.getByLabelText('Mark halt'));
    await userEvent.click(screen.getAllByRole('button', { name: 'Ports' })[0] as HTMLElement);
    await userEvent.click(screen.getByLabelText('Mark mill.e2'));
    await userEvent.click(screen.getByRole('button', { name: 'Side by side' }));
    expect(beside).toHaveBeenCalledWith(['halt', 'mill']);
  });
  test('asks for what must differ before it copies a router', async () => {
    const { change, asked } = outline({
      'POST /api/text/must-differ': [
        { what: 'name', value: 'mill', suggest: 'mill-2' },
        { what: 'address of e1', value: '10.0.12.1/30', suggest: '10.0.12.5/30' },
      ],
      'POST /api/text/copy-router': { text: 'with the copy' },
    });
    await userEvent.click(screen.getAllByRole('button', { name: 'copy' })[0] as HTMLElement);
    await userEvent.clear(await screen.findByLabelText('name'));
    await userEvent.type(screen.getByLabelText('name'), 'weir');
    await userEvent.click(screen.getByRole('button', { name: 'Copy' }));
    await vi.waitFor(() => expect(change).toHaveBeenCalledWith('with the copy'));
    expect(asked[1]).toContain('"values":{"mill":"weir","10.0.12.1/30":"10.0.12.5/30"}');
  });
});

describe('a name', () => {
  const named: Named = {
    kind: 'policy',
    name: 'out',
    uses: [
      { line: 9, column: 8, end: 11, definition: true, text: 'policy out' },
      { line: 4, column: 21, end: 24, definition: false, text: 'export-policy out' },
    ],
  };
  const open = (answers: Record<string, unknown>) => {
    const change = vi.fn();
    const goto = vi.fn();
    const close = vi.fn();
    show(
      <NamePanel named={named} text="t" change={change} goto={goto} close={close} readOnly={false} />,
      answers,
      at,
    );
    return { change, goto, close };
  };
  test('shows its uses, each to go to', async () => {
    const { goto } = open({});
    expect(screen.getByTestId('name').textContent).toContain('policy out is in 2 places');
    await userEvent.click(screen.getByText('export-policy out'));
    expect(goto).toHaveBeenCalledWith(4, 21);
  });
  test('is changed everywhere', async () => {
    const { change, close } = open({ 'POST /api/text/rename': { text: 'renamed', places: 2 } });
    await userEvent.clear(screen.getByLabelText('New name'));
    await userEvent.type(screen.getByLabelText('New name'), 'outward{Enter}');
    await vi.waitFor(() => expect(change).toHaveBeenCalledWith('renamed'));
    expect(close).toHaveBeenCalled();
  });
  test('that is taken is refused in words', async () => {
    const { change } = open({ 'POST /api/text/rename': problem(422, 'there is another policy named in') });
    await userEvent.clear(screen.getByLabelText('New name'));
    await userEvent.type(screen.getByLabelText('New name'), 'in{Enter}');
    expect(await screen.findByText('there is another policy named in')).toBeTruthy();
    expect(change).not.toHaveBeenCalled();
  });
});

describe('the problems', () => {
  const wrong: Problem = {
    severity: 'error',
    line: 3,
    column: 3,
    end: 7,
    message: 'unknown word "prot"',
    hint: 'did you mean port?',
    fix: { title: 'write port', column: 3, end: 7, text: 'port' },
  };
  test('are gone to by a click, and mended by another', async () => {
    const goto = vi.fn();
    const fix = vi.fn();
    show(
      <ProblemsPanel
        problems={[wrong]}
        checking={false}
        changes={undefined}
        running={undefined}
        goto={goto}
        fix={fix}
        readOnly={false}
      />,
      {},
      at,
    );
    expect(screen.getByText('1 error')).toBeTruthy();
    await userEvent.click(screen.getByText('did you mean port?'));
    expect(goto).toHaveBeenCalledWith(3, 3);
    await userEvent.click(screen.getByRole('button', { name: 'Fix: write port' }));
    expect(fix).toHaveBeenCalledWith(wrong);
  });
  test('of the past are not mended', () => {
    show(
      <ProblemsPanel
        problems={[wrong]}
        checking={false}
        changes={[]}
        running={undefined}
        goto={nothing}
        fix={nothing}
        readOnly
      />,
      {},
      at,
    );
    expect(screen.queryByRole('button', { name: 'Fix: write port' })).toBeNull();
    expect(screen.getByText('Nothing would change')).toBeTruthy();
  });
});

describe('the revisions', () => {
  const revision = (seq: number, more: Partial<Revision> = {}): Revision => ({
    seq,
    author: 'Ada',
    message: `change ${seq}`,
    made: 1_795_000_000_000,
    at: seq * 10,
    current: false,
    changes: [
      { kind: 'changed' as const, subject: 'mill.e1', what: 'ospf cost', from: '10', to: '40', effect: '' },
    ],
    total: 1,
    ...more,
  });
  test('are compared with the one before, or with the present, and gone back to', async () => {
    const compare = vi.fn();
    const goBack = vi.fn();
    show(
      <RevisionsPanel compare={compare} goBack={goBack} />,
      { 'GET /api/labs/x1/revisions': [revision(1), revision(3), revision(4, { current: true })] },
      at,
    );
    const items = await screen.findAllByTestId('revision');
    expect(items.map((i) => i.textContent.slice(0, 10))).toEqual(['in forceAd', 'revision 3', 'revision 1']);
    expect(items[1]?.textContent).toContain('change 3');
    expect(items[1]?.textContent).toContain('mill.e1 ospf cost 10 -> 40');
    const buttons = (name: string) => screen.getAllByRole('button', { name });
    await userEvent.click(buttons('what it changed')[1] as HTMLElement);
    expect(compare).toHaveBeenLastCalledWith(1, 3);
    await userEvent.click(buttons('since then')[2] as HTMLElement);
    expect(compare).toHaveBeenLastCalledWith(1, 4);
    await userEvent.click(buttons('go back to it')[1] as HTMLElement);
    expect(goBack).toHaveBeenCalledWith(3);
    expect((buttons('go back to it')[0] as HTMLButtonElement).disabled).toBe(true);
  });
});

describe('a draft', () => {
  beforeEach(() => {
    sessionStorage.clear();
    localStorage.clear();
    vi.useFakeTimers();
    return () => vi.useRealTimers();
  });
  test('is kept by the tab at once, and by the server when the writer pauses', async () => {
    const asked = show(<div />, { 'PUT /api/labs/x1/drafts/x': null }, at);
    keepDraft('x1', { text: 'a', base: 1 });
    keepDraft('x1', { text: 'ab', base: 1 });
    expect(readDraft('x1')).toEqual({ text: 'ab', base: 1 });
    expect(asked).toEqual([]);
    await vi.advanceTimersByTimeAsync(500);
    expect(asked).toEqual([`PUT /api/labs/x1/drafts/${owner()}`]);
    keepDraft('x1', undefined);
    await vi.advanceTimersByTimeAsync(1);
    expect(readDraft('x1')).toBeUndefined();
    expect(asked[1]).toBe(`DELETE /api/labs/x1/drafts/${owner()}`);
  });
  test('belongs to the browser', () => {
    expect(owner()).toMatch(/^[0-9a-f]{24}$/);
    expect(owner()).toBe(owner());
  });
});

describe('what is said alike', () => {
  const common = {
    in: 'port',
    statements: 'ospf area 0\n  cost 40',
    takers: ['mill.e1', 'halt.e1'],
    lines: 2,
    name: 'ports',
  };
  test('is pulled into a template with a name of the reader', async () => {
    const write = vi.fn();
    const asked = show(
      <SayOnce text="the text" write={write} readOnly={false} />,
      { 'POST /api/text/alike': [common], 'POST /api/text/pull': { text: 'the new text' } },
      at,
    );
    const name = await screen.findByLabelText('Name of the template');
    expect(screen.getByTestId('alike').textContent).toContain('2 ports say the same: mill.e1, halt.e1');
    await userEvent.clear(name);
    await userEvent.type(name, 'trunk');
    await userEvent.click(screen.getByRole('button', { name: 'Pull into a template' }));
    await vi.waitFor(() => expect(write).toHaveBeenCalledWith('the new text'));
    expect(asked.at(-1)).toContain('"in":"port","statements":"ospf area 0\\n  cost 40","name":"trunk"');
  });
  test('says why it cannot be', async () => {
    show(
      <SayOnce text="the text" write={nothing} readOnly={false} />,
      {
        'POST /api/text/alike': [common],
        'POST /api/text/pull': problem(422, 'that would change mill.e1 cost'),
      },
      at,
    );
    await userEvent.click(await screen.findByRole('button', { name: 'Pull into a template' }));
    expect(await screen.findByText('that would change mill.e1 cost')).toBeTruthy();
  });
});
