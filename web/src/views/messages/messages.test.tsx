// @vitest-environment jsdom
import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, test } from 'vitest';
import type { Message } from '../../shared/api/client';
import { show } from '../../shared/testing/app';
import { MessagesView } from './MessagesView';

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
const answers = { 'GET /api/labs/x1/messages': { messages, omitted: 0 } };
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
    expect(rows()).toHaveLength(1);
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

  test('say so when there are none', async () => {
    show(<MessagesView />, { 'GET /api/labs/x1/messages': { messages: [], omitted: 0 } }, '/lab/x1/messages');
    expect(await screen.findByText('Nobody has said anything yet')).toBeTruthy();
  });
});
