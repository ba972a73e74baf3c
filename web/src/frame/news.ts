import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { forget } from '../shared/api/questions';

/** What the server pushes of a lab. */
interface News {
  kind: 'progress' | 'changed' | 'ended';
  work?: string;
  action?: string;
  at?: number;
  events?: number;
  actions: number;
}

/** What a lab is busy with. */
export interface Running {
  /** The name by which it is stopped. */
  work: string;
  what: string;
  /** How far it is: virtual seconds, and events that were handled; 0 if nobody says. */
  at: number;
  events: number;
}

/**
 * Listens to the news of a lab: views become stale when an action ends, here or in another browser. The browser
 * reconnects by itself after a lost connection; everything is asked for anew then, since news may have been missed.
 */
export function useNews(id: string): { connected: boolean; running: Running | undefined } {
  const client = useQueryClient();
  const [connected, setConnected] = useState(true);
  const [running, setRunning] = useState<Running>();
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
        setRunning(
          news.kind === 'progress'
            ? { work: news.work ?? '', what: news.action ?? '', at: news.at ?? 0, events: news.events ?? 0 }
            : undefined,
        );
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
