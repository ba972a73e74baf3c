// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { expect, test } from 'vitest';
import { show as render } from '../shared/testing/app';
import { useKeys } from '../shared/parts/keys';

function Keys({ done }: { done: string[] }) {
  useKeys({ c: () => done.push('c'), 'Ctrl+Shift+enter': () => done.push('apply') });
  return (
    <>
      <input type="checkbox" aria-label="tick" />
      <input aria-label="write" />
    </>
  );
}

test('keys work after a checkbox was clicked, and not while somebody writes', async () => {
  const done: string[] = [];
  render(<Keys done={done} />, {});
  await userEvent.click(screen.getByLabelText('tick'));
  await userEvent.keyboard('c');
  expect(done).toEqual(['c']);
  await userEvent.click(screen.getByLabelText('write'));
  await userEvent.keyboard('c');
  expect(done).toEqual(['c']);
  await userEvent.keyboard('{Control>}{Shift>}{Enter}{/Shift}{/Control}');
  expect(done, 'a draft is applied from anywhere').toEqual(['c', 'apply']);
});
