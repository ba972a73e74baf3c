// @vitest-environment jsdom
import { cleanup, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, test, vi } from 'vitest';
import type { Message } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { MessagesView, useUnread } from './MessagesView';

const message = (number: number, device: string, text: string, weight: Message['weight']): Message => ({
  number,
  at: number,
  device,
  port: 'e1',
  weight,
  text,
});
const messages = [
  message(9, 'mill', 'port e1 went down: the link has no carrier', 'trouble'),
  message(7, 'halt', 'neighbour mill (10.255.0.1) on e1: Loading to Full', 'notice'),
  message(3, 'mill', 'port e1 came up', 'notice'),
];
/** A server that has some messages. */
const log = (all: Message[]) => (q: URLSearchParams) => {
  const number = (name: string) => Number(q.get(name) ?? 0);
  const mine = all.filter(
    (m) => m.number > number('after') && (!q.get('device') || m.device === q.get('device')),
  );
  const found = mine.filter(
    (m) =>
      (!q.get('weight') || m.weight === q.get('weight')) &&
      (!q.get('unread') || m.number > number('read')) &&
      m.text.includes(q.get('find') ?? ''),
  );
  const offset = number('offset');
  return {
    messages: found.slice(offset, offset + (number('limit') || 60)),
    offset,
    found: found.length,
    all: mine.length,
    fresh: mine.filter((m) => m.number > number('read')).length,
    newest: all[0]?.number ?? 0,
  };
};
const answers = { 'GET /api/labs/x1/messages': log(messages) };
const rows = () => screen.getAllByRole('row').slice(1);

describe('messages', () => {
  beforeEach(() => localStorage.clear());

  test('are new until they are seen, and stay seen', async () => {
    show(<MessagesView />, answers, '/lab/x1/messages');
    await screen.findByText('port e1 came up');
    expect(rows().map((r) => r.getAttribute('data-fresh'))).toEqual(['true', 'true', 'true']);
    await userEvent.click(screen.getByRole('button', { name: 'All seen' }));
    expect(rows().map((r) => r.getAttribute('data-fresh'))).toEqual(['false', 'false', 'false']);
    expect(localStorage.getItem('hellebore.read.x1')).toBe('9');
  });

  test('only the new ones, or those of trouble', async () => {
    localStorage.setItem('hellebore.read.x1', '7');
    show(<MessagesView />, answers, '/lab/x1/messages');
    await userEvent.click(await screen.findByRole('button', { name: 'New' }));
    await vi.waitFor(() => expect(rows()).toHaveLength(1));
    await userEvent.click(screen.getByRole('button', { name: 'Trouble' }));
    expect(within(rows()[0] as HTMLElement).getByText('trouble')).toBeTruthy();
  });

  test('of the router in focus; a port leads to it', async () => {
    show(<MessagesView />, answers, '/lab/x1/messages?who=halt');
    await screen.findByText(/Loading to Full/);
    expect(rows()).toHaveLength(1);
    await userEvent.click(screen.getByRole('button', { name: 'e1' }));
    expect(screen.getByTestId('address').textContent).toBe('/lab/x1/messages?who=halt.e1');
  });

  test('are found by their words, and saved as they are shown', async () => {
    const asked = show(<MessagesView />, answers, '/lab/x1/messages?who=mill');
    await userEvent.type(await screen.findByLabelText('Find messages'), 'down');
    await vi.waitFor(() => expect(rows()).toHaveLength(1));
    expect(screen.getByText('1 match')).toBeTruthy();
    expect(asked.at(-1)).toContain('find=down');
    let saved = '';
    vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
      saved = decodeURIComponent(this.href);
    });
    await userEvent.click(screen.getByRole('button', { name: 'CSV' }));
    expect(saved).toMatch('/api/labs/x1/messages/csv?at=now&device=mill&find=down');
    await userEvent.type(screen.getByLabelText('Find messages'), ' otter');
    expect(await screen.findByText('No message has these words.')).toBeTruthy();
  });

  test('between two moments: those since the first', async () => {
    const since = (q: URLSearchParams) => log(q.get('at') === 'before-2' ? messages.slice(1) : messages)(q);
    show(<MessagesView />, { 'GET /api/labs/x1/messages': since }, '/lab/x1/messages?when=before-2..now');
    await vi.waitFor(() => expect(rows()).toHaveLength(1));
    expect(screen.getByText(/went down/)).toBeTruthy();
  });

  test('say so when there are none', async () => {
    show(<MessagesView />, { 'GET /api/labs/x1/messages': log([]) }, '/lab/x1/messages');
    expect(await screen.findByText('Nobody has said anything yet')).toBeTruthy();
  });

  test('nobody who opens a lab for the first time has missed any; what comes later is new', async () => {
    const Count = () => <output data-testid="unread">{useUnread('x1', 'now')}</output>;
    show(<Count />, answers, '/lab/x1/map');
    await vi.waitFor(() => expect(localStorage.getItem('hellebore.read.x1')).toBe('9'));
    expect(screen.getByTestId('unread').textContent).toBe('0');
    cleanup();
    const more = [message(12, 'halt', 'port e1 went down: the link has no carrier', 'trouble'), ...messages];
    show(<Count />, { 'GET /api/labs/x1/messages': log(more) }, '/lab/x1/map');
    await vi.waitFor(() => expect(screen.getByTestId('unread').textContent).toBe('1'));
  });
});
