// @vitest-environment jsdom
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { expect, test } from 'vitest';
import { show as render } from '../shared/testing/app';
import { useFocus } from '../shared/focus/focus';

/** Changes the focus and the view in one go, as a fast typist does. */
function Quick() {
  const { set, show } = useFocus();
  return (
    <button
      onClick={() => {
        void set({ who: 'mill' });
        void set({ to: '10.20.2.0/24' });
        void show('routes');
        void set({ when: 'before-2' });
      }}
    >
      go
    </button>
  );
}

test('changes that follow each other at once all count', async () => {
  render(<Quick />, {}, '/lab/x1/map');
  await userEvent.click(screen.getByRole('button', { name: 'go' }));
  expect(await screen.findByText('/lab/x1/routes?who=mill&to=10.20.2.0/24&when=before-2')).toBeTruthy();
});
