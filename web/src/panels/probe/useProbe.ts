import { useEffect, useRef, useState } from 'react';
import type { ProbeEnd, ProbeReply } from '../../shared/api/client';

/** What to send. An empty source is the address of the port by which the packets leave. */
export interface ProbeRequest {
  from: string;
  source: string;
  to: string;
  count: number;
  trace: boolean;
  /** A TCP port to connect to, 0 for echo requests. */
  port: number;
}

/** A probe as far as it has come. */
export interface Probed {
  request: ProbeRequest;
  replies: ProbeReply[];
  running: boolean;
  end?: ProbeEnd;
  error?: Error;
}

/** The address of a probe's stream. */
export function probeURL(id: string, when: string, r: ProbeRequest): string {
  const q = new URLSearchParams({ from: r.from, to: r.to });
  if (when) q.set('at', when);
  if (r.source) q.set('source', r.source);
  if (r.trace) q.set('trace', 'true');
  else q.set('count', String(r.count));
  if (r.port && !r.trace) q.set('port', String(r.port));
  return `/api/labs/${encodeURIComponent(id)}/probe?${q.toString()}`;
}

/** Sends probes and shows each reply as it comes. One runs at a time: another, or leaving the page, ends it. */
export function useProbe(id: string, when: string) {
  const [probed, setProbed] = useState<Probed>();
  const source = useRef<EventSource>(undefined);
  const close = () => {
    source.current?.close();
    source.current = undefined;
  };
  useEffect(() => close, []);

  const send = (request: ProbeRequest) => {
    close();
    setProbed({ request, replies: [], running: true });
    const stream = new EventSource(probeURL(id, when, request));
    source.current = stream;
    const on = (name: string, take: (before: Probed, data: string) => Probed, last: boolean) =>
      stream.addEventListener(name, (e: MessageEvent<string>) => {
        if (last) close();
        setProbed((p) => p && { ...take(p, e.data), running: !last });
      });
    on('reply', (p, r) => ({ ...p, replies: [...p.replies, JSON.parse(r) as ProbeReply] }), false);
    on('end', (p, end) => ({ ...p, end: JSON.parse(end) as ProbeEnd }), true);
    on('refused', (p, r) => ({ ...p, error: new Error((JSON.parse(r) as { detail: string }).detail) }), true);
    stream.onerror = () => {
      close();
      setProbed(
        (p) => p && { ...p, error: new Error('The server does not answer; the probe has ended here.') },
      );
    };
  };
  const stop = () => {
    close();
    setProbed((p) => p && { ...p, running: false });
  };
  return { probed, send, stop };
}
