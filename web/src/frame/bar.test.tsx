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
  segments: ['yard'],
  prefixes: ['10.20.2.0/24'],
  sessions: [],
  actions: 2,
  moments: [],
  forms,
};

function open() {
  const set = vi.fn();
  const act = vi.fn();
  render(
    <ChakraProvider value={system}>
      <FocusBar
        focus={{ who: 'summit', to: '', when: 'before-2', since: '' }}
        names={names}
        moment="before cut viaduct.e1"
        set={set}
        act={act}
        input={createRef<HTMLInputElement>()}
      />
    </ChakraProvider>,
  );
  return { set, act, input: screen.getByRole<HTMLInputElement>('combobox') };
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
    expect(screen.getByRole('alert').textContent).toContain('"vaduct" is no device');
    expect(input.value).toBe('vaduct');
    await userEvent.keyboard('{Escape}');
    expect(screen.queryByRole('alert')).toBeNull();
    expect(input.value).toBe('');
    expect(set).not.toHaveBeenCalled();
    expect(act).not.toHaveBeenCalled();
  });
});
