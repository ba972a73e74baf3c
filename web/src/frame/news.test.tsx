// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, renderHook } from '@testing-library/react';
import type { ReactNode } from 'react';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { Stream, stubStreams } from '../shared/testing/events';
import { useNews } from './news';

const see = (state: 'hidden' | 'visible') => {
  Object.defineProperty(document, 'visibilityState', { value: state, configurable: true });
  document.dispatchEvent(new Event('visibilitychange'));
};

function listen() {
  const client = new QueryClient();
  const stale = vi.spyOn(client, 'invalidateQueries');
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const { result } = renderHook(() => useNews('x1'), { wrapper });
  return { result, stale };
}

describe('the news of a lab', () => {
  beforeEach(() => {
    stubStreams();
    vi.useFakeTimers();
    see('visible');
  });
  afterEach(() => vi.useRealTimers());

  test('an action that ends, here or in another browser, makes the views stale', () => {
    const { result, stale } = listen();
    act(() =>
      Stream.all[0]?.say('news', {
        kind: 'progress',
        work: 'w1',
        action: 'cut mill.e1',
        at: 3,
        events: 9,
        actions: 2,
      }),
    );
    expect(result.current.running).toEqual({ work: 'w1', what: 'cut mill.e1', at: 3, events: 9 });
    expect(stale).not.toHaveBeenCalled();
    act(() => Stream.all[0]?.say('news', { kind: 'changed', actions: 2 }));
    expect(result.current.running).toBeUndefined();
    expect(stale).toHaveBeenCalledOnce();
  });
  test('a lost connection is said; when it is back, everything is asked for anew', () => {
    const { result, stale } = listen();
    act(() => Stream.all[0]?.break());
    expect(result.current.connected).toBe(false);
    act(() => Stream.all[0]?.say('beat', {}));
    expect(result.current.connected).toBe(true);
    expect(stale).toHaveBeenCalledOnce();
  });
  test('a connection that the browser gave up on is opened again', () => {
    listen();
    act(() => {
      Stream.all[0]?.close();
      Stream.all[0]?.break();
    });
    expect(Stream.all).toHaveLength(1);
    act(() => void vi.advanceTimersByTime(1500));
    expect(Stream.all).toHaveLength(2);
  });
  test('a tab that nobody sees gives its connection back', () => {
    listen();
    act(() => see('hidden'));
    expect(Stream.all[0]?.readyState).toBe(Stream.CLOSED);
    act(() => see('visible'));
    expect(Stream.all).toHaveLength(2);
  });
});
