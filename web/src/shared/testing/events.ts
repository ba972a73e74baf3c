import { vi } from 'vitest';

/** A stand-in for EventSource (jsdom has none) that a test feeds. */
export class Stream {
  static readonly CLOSED = 2;
  static all: Stream[] = [];
  readyState = 1;
  onerror?: () => void;
  private listeners = new Map<string, (e: { data: string }) => void>();

  constructor(readonly url: string) {
    Stream.all.push(this);
  }
  addEventListener(name: string, listener: (e: { data: string }) => void) {
    this.listeners.set(name, listener);
  }
  close() {
    this.readyState = Stream.CLOSED;
  }
  /** The server says something. */
  say(name: string, data: unknown) {
    this.listeners.get(name)?.({ data: JSON.stringify(data) });
  }
  /** The connection breaks. */
  break() {
    this.onerror?.();
  }
}

export function stubStreams() {
  Stream.all = [];
  vi.stubGlobal('EventSource', Stream);
}
