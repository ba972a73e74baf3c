// @vitest-environment jsdom
import { ChakraProvider } from '@chakra-ui/react';
import { render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { createRef } from 'react';
import { describe, expect, test, vi } from 'vitest';
import { forms } from '../shared/testing/actions';
import { system } from '../theme';
import { FocusBar } from './FocusBar';

const names = {
  devices: ['viaduct', 'summit'],
  ports: ['viaduct.e1', 'viaduct.e2'],
  flows: ['tickets'],
  groups: [],
  segments: ['yard'],
  prefixes: ['10.20.2.0/24'],
  instances: [],
  sessions: [],
  actions: 2,
  moments: [],
  forms,
};

function open() {
  const set = vi.fn();
  const act = vi.fn();
  const question = vi.fn();
  const edit = vi.fn((lines: string[]) =>
    lines[0]?.includes('wrong')
      ? Promise.reject(new Error('wrong does not belong there'))
      : Promise.resolve(),
  );
  render(
    <ChakraProvider value={system}>
      <FocusBar
        focus={{ who: 'summit', to: '', when: 'before-2', since: '' }}
        names={names}
        moment="before cut viaduct.e1"
        set={set}
        act={act}
        ask={question}
        edit={edit}
        complete={(line) =>
          Promise.resolve(
            line.endsWith(' ') ? [{ label: 'cost', kind: 'word', help: 'what it costs to send' }] : [],
          )
        }
        input={createRef<HTMLInputElement>()}
      />
    </ChakraProvider>,
  );
  return { set, act, question, edit, input: screen.getByRole<HTMLInputElement>('combobox') };
}

describe('the focus bar', () => {
  test('shows the focus in words, and each part is cleared by a click', async () => {
    const { set } = open();
    expect(screen.getByText('everything')).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: 'who summit, clear' }));
    expect(set).toHaveBeenLastCalledWith({ who: '' });
    await userEvent.click(screen.getByRole('button', { name: 'when before cut viaduct.e1, clear' }));
    expect(set).toHaveBeenLastCalledWith({ when: 'now' });
  });
  test('completes with Tab, goes with Enter', async () => {
    const { set, input } = open();
    await userEvent.type(input, 'via');
    expect(screen.getAllByRole('option').map((o) => o.textContent)).toContain('viaduct');
    await userEvent.keyboard('{Tab}10.20.2.0/24{Enter}');
    expect(set).toHaveBeenLastCalledWith(expect.objectContaining({ who: 'viaduct', to: '10.20.2.0/24' }));
    expect(input.value).toBe('');
  });
  test('asks questions, makes edits, and brings back what was typed', async () => {
    const { question, edit, set, input } = open();
    await userEvent.type(input, 'ping viaduct summit{Enter}');
    expect(question).toHaveBeenLastCalledWith('ping viaduct summit');
    await userEvent.type(input, 'viaduct.e1 ospf ');
    expect((await screen.findByRole('option')).textContent).toContain('what it costs to send');
    await userEvent.keyboard('{Tab}40{Enter}');
    expect(edit).toHaveBeenLastCalledWith(['viaduct.e1 ospf cost 40']);
    expect(input.value).toBe('');
    await userEvent.type(input, 'viaduct wrong{Enter}');
    expect((await screen.findByRole('alert')).textContent).toBe('wrong does not belong there');
    expect(input.value).toBe('viaduct wrong');
    await userEvent.clear(input);
    await userEvent.keyboard('{ArrowUp}{ArrowUp}');
    expect(input.value).toBe('viaduct.e1 ospf cost 40');
    await userEvent.clear(input);
    await userEvent.paste('viaduct.e1 ospf cost 1\nsummit.e1 mtu 1400\n');
    expect(edit).toHaveBeenLastCalledWith(['viaduct.e1 ospf cost 1', 'summit.e1 mtu 1400']);
    expect(set).not.toHaveBeenCalled();
  });
  test('completes with the arrows', async () => {
    const { act, input } = open();
    await userEvent.type(input, 'cut viaduct.');
    const active = () =>
      document.getElementById(input.getAttribute('aria-activedescendant') ?? '')?.textContent;
    expect(active()).toBeUndefined();
    await userEvent.keyboard('{ArrowDown}{ArrowDown}');
    expect(active(), 'the cursor stays in the input, and the option is said').toBe('viaduct.e2');
    await userEvent.keyboard('{ArrowUp}{Enter}');
    expect(input.value).toBe('cut viaduct.e1 ');
    await userEvent.keyboard('{Enter}');
    expect(act).toHaveBeenCalledWith('cut viaduct.e1');
  });
  test('what it does not know is said and stays to be mended', async () => {
    const { set, act, input } = open();
    await userEvent.type(input, 'vaduct{Enter}');
    expect(screen.getByRole('alert').textContent).toBe(
      'nothing here is called "vaduct"; did you mean viaduct?',
    );
    expect(input.value).toBe('vaduct');
    await userEvent.keyboard('{Escape}');
    expect(screen.queryByRole('alert')).toBeNull();
    expect(input.value).toBe('');
    expect(set).not.toHaveBeenCalled();
    expect(act).not.toHaveBeenCalled();
  });
});
