import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { forget } from '../api/client';

/** What the server pushes of a lab. */
interface News {
  kind: 'progress' | 'changed';
  action?: string;
  actions: number;
}

/**
 * Listens to the news of a lab: views become stale when an action ends, here or in another browser. The browser
 * reconnects by itself after a lost connection; everything is asked for anew then, since news may have been missed.
 */
export function useNews(id: string): { connected: boolean; running: string } {
  const client = useQueryClient();
  const [connected, setConnected] = useState(true);
  const [running, setRunning] = useState('');
  useEffect(() => {
    let lost = false;
    let source: EventSource | undefined;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const connect = () => {
      source = new EventSource(`/api/labs/${id}/events`);
      source.addEventListener('beat', () => {
        setConnected(true);
        if (lost) void forget(client, id);
        lost = false;
      });
      source.addEventListener('news', (e: MessageEvent<string>) => {
        const news = JSON.parse(e.data) as News;
        setRunning(news.kind === 'progress' ? (news.action ?? '') : '');
        if (news.kind === 'changed') void forget(client, id);
      });
      source.onerror = () => {
        lost = true;
        setConnected(false);
        // A browser gives up on some answers; then this begins anew.
        if (source?.readyState === EventSource.CLOSED) timer = setTimeout(connect, 1000);
      };
    };
    // A browser opens six connections to a server at most, for all its tabs: one that nobody sees gives its own back.
    const onVisibility = () => {
      clearTimeout(timer);
      if (document.visibilityState === 'hidden') {
        source?.close();
        source = undefined;
        lost = true;
      } else if (!source) connect();
    };
    document.addEventListener('visibilitychange', onVisibility);
    onVisibility();
    return () => {
      document.removeEventListener('visibilitychange', onVisibility);
      source?.close();
      clearTimeout(timer);
    };
  }, [id, client]);
  return { connected, running };
}
