import { createContext, useContext, type RefObject } from 'react';
import type { Flight, Hunt, Occurrence } from '../api/client';
import type { Part } from './spread';
import type { Filter, Stop } from './stretch';

/** A stretch of the lab's time that plays, and the ways to move in it. */
export interface Play {
  /** From one time to another, in seconds since the lab began; undefined while nothing plays. */
  stretch: { from: number; to: number } | undefined;
  open: (from: number, to: number) => void;
  close: () => void;
  playing: boolean;
  toggle: () => void;
  /** The time that is shown, some times a second. */
  t: number;
  /** The time that is shown, in each frame. */
  now: RefObject<number>;
  go: (t: number) => void;
  step: (by: 1 | -1) => void;
  what: Stop;
  setWhat: (what: Stop) => void;
  speed: number;
  setSpeed: (speed: number) => void;
  skip: boolean;
  setSkip: (on: boolean) => void;
  /** All packets of the flows are there, not only the first ones that take another path or are lost. */
  all: boolean;
  setAll: (on: boolean) => void;
  filter: Filter;
  setFilter: (f: Filter) => void;
  /** An LSA or a prefix that is followed; '' for none. */
  follow: string;
  setFollow: (of: string) => void;
  /** All that can be followed. */
  cargo: string[];
  /** How what is followed spreads. */
  spread: Part[];
  /** Of a prefix that is followed: how routers chose among its paths. */
  hunt: Hunt | undefined;
  /** The classes of all packets that are known so far. */
  present: Flight['class'][];
  /** What is shown of what is known so far. */
  flights: Flight[];
  events: Occurrence[];
  /** Packets move; else they stand where they are when time stops. */
  moves: boolean;
  waiting: boolean;
  error: string;
}

export const PlayContext = createContext<Play | undefined>(undefined);

export function usePlay(): Play | undefined {
  return useContext(PlayContext);
}
