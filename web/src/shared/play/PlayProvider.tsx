import { useQuery } from '@tanstack/react-query';
import { startTransition, useCallback, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { http, unwrap, type Flight, type Occurrence } from '../api/client';
import { ask } from '../api/questions';
import { useFocus } from '../focus/focus';
import { readMoment } from '../focus/moment';
import { huntEvents, merged } from './hunt';
import { PlayContext } from './play';
import { stay } from './stay';
import { cargoes, carries, concerns, spreadOf } from './spread';
import {
  afterQuiet,
  fittingSpeed,
  nextStop,
  previousStop,
  shownEvents,
  shownFlights,
  stops,
  usual,
  type Stop,
} from './stretch';

/** How often the moment in focus follows, in milliseconds. */
const followEvery = 200;
/** How long steps take where nothing moves, in milliseconds. */
const stepEvery = 1000;

interface Known {
  flights: Flight[];
  events: Occurrence[];
  /** Up to where all is known. */
  to: number;
  more: boolean;
}

const nothing: Known = { flights: [], events: [], to: -1, more: true };

/** A virtual time as the address has it, to the nanosecond. */
const moment = (t: number) => t.toFixed(9).replace(/\.?0+$/, '');

/** Keeps the stretch of time that plays, whichever view is open. */
export function PlayProvider({ children }: { children: ReactNode }) {
  const { id, focus, set } = useFocus();
  const [stretch, setStretch] = useState<{ from: number; to: number }>();
  const [known, setKnown] = useState<Known>(nothing);
  const [playing, setPlaying] = useState(false);
  const [t, setT] = useState(0);
  const now = useRef(0);
  const [what, setWhat] = useState<Stop>('event');
  const [speed, setSpeed] = useState(1e-3);
  const [skip, setSkip] = useState(true);
  const [filter, setFilter] = useState(usual);
  const [all, setAllFlag] = useState(false);
  const [error, setError] = useState('');
  const [waiting, setWaiting] = useState(false);
  const [moves] = useState(() => !window.matchMedia('(prefers-reduced-motion: reduce)').matches);

  const [follow, setFollow] = useState('');
  const flights = useMemo(
    () =>
      follow === ''
        ? shownFlights(known.flights, filter)
        : shownFlights(known.flights, { ...filter, without: [] }).filter((f) => carries(f, follow)),
    [known.flights, filter, follow],
  );
  const hunt = useQuery({
    ...ask.hunt(id, follow, stretch?.from ?? 0, stretch?.to ?? 0),
    ...(stretch ? {} : { enabled: false }),
  });
  const hunted = follow === hunt.data?.prefix ? hunt.data : undefined;
  const happens = useMemo(
    () => merged(known.events, hunted ? huntEvents(hunted) : []),
    [known.events, hunted],
  );
  const events = useMemo(
    () => shownEvents(happens, filter).filter((e) => follow === '' || concerns(e, follow)),
    [happens, filter, follow],
  );
  const present = useMemo(() => [...new Set(known.flights.map((f) => f.class))], [known.flights]);
  const cargo = useMemo(() => cargoes(known.flights), [known.flights]);
  const spread = useMemo(
    () => (follow === '' ? [] : spreadOf(known.flights, happens, follow)),
    [known.flights, happens, follow],
  );

  // The moment in focus follows, not too often; the last one always.
  // What was said last: the address that is read comes a little later than the one that is written.
  const [said, setSaid] = useState<string[]>([]);
  const saying = useRef({ last: 0, due: false });
  const say = useCallback(() => {
    saying.current = { last: performance.now(), due: false };
    const when = moment(now.current);
    // What moves on the map goes on while the views come after.
    startTransition(() => {
      setT(now.current);
      setSaid((before) => [...before.slice(-4), when]);
      void set({ when, since: '' });
    });
  }, [set]);
  const go = useCallback(
    (to: number) => {
      now.current = to;
      if (performance.now() - saying.current.last >= followEvery) say();
      else saying.current.due = true;
    },
    [say],
  );
  const isOpen = stretch !== undefined;
  useEffect(() => {
    if (!isOpen) return;
    const timer = window.setInterval(() => {
      if (saying.current.due) say();
    }, followEvery);
    return () => window.clearInterval(timer);
  }, [isOpen, say]);

  // What is not known yet is asked for as it is needed.
  const asked = useRef('');
  const load = useCallback(
    (from: number, to: number, before: Known, begins: boolean, all: boolean) => {
      const key = `${id} ${from} ${to} ${String(all)}`;
      if (asked.current === key) return;
      asked.current = key;
      setWaiting(true);
      unwrap(
        http.GET('/api/labs/{id}/playback', { params: { path: { id }, query: { from, to, all } } }),
      ).then(
        (s) => {
          if (asked.current !== key) return;
          const first = before.to < 0;
          const next = {
            flights: [...before.flights, ...s.flights.filter((f) => first || f.at > before.to)],
            events: [...before.events, ...s.events],
            to: s.to,
            more: s.more,
          };
          setKnown(next);
          setWaiting(false);
          if (begins) {
            setSpeed(fittingSpeed(shownFlights(s.flights, usual)));
            setPlaying(true);
          }
        },
        (e: unknown) => {
          setWaiting(false);
          asked.current = '';
          setError(e instanceof Error ? e.message : 'It cannot be played.');
        },
      );
    },
    [id],
  );
  const open = useCallback(
    (from: number, to: number) => {
      setStretch({ from, to });
      setSaid([focus.when]);
      setKnown(nothing);
      setFollow('');
      setError('');
      setPlaying(false);
      asked.current = '';
      now.current = from;
      go(from);
      load(from, to, nothing, true, all);
    },
    [go, load, focus.when, all],
  );
  const close = useCallback(() => {
    setStretch(undefined);
    setPlaying(false);
    asked.current = '';
    setKnown(nothing);
    setFollow('');
  }, []);
  useEffect(() => {
    if (stretch && known.more && known.to >= 0 && t > known.to - Math.max(1e-6, speed * 5))
      load(known.to + 1e-9, stretch.to, known, false, all);
  }, [t, known, stretch, speed, all, load]);
  // What is known is of the other kind: it is asked for anew from where time stands.
  const setAll = useCallback(
    (on: boolean) => {
      setAllFlag(on);
      if (!stretch) return;
      setKnown(nothing);
      load(stretch.from, stretch.to, nothing, false, on);
    },
    [stretch, load],
  );

  // Somebody who chooses another moment while time stands goes there.
  const chosen = readMoment(focus.when);
  const elsewhere =
    stretch &&
    !playing &&
    !said.includes(focus.when) &&
    chosen.kind === 'time' &&
    chosen.at >= stretch.from &&
    chosen.at <= stretch.to
      ? chosen.at
      : undefined;
  useEffect(() => {
    if (elsewhere !== undefined) now.current = elsewhere;
  }, [elsewhere]);

  const step = useCallback(
    (by: 1 | -1) => {
      if (!stretch) return;
      setPlaying(false);
      const times = stops({ flights, events }, what);
      const to = by > 0 ? nextStop(times, now.current) : previousStop(times, now.current);
      go(to ?? (by > 0 ? Math.min(stretch.to, known.more ? known.to : stretch.to) : stretch.from));
    },
    [stretch, flights, events, what, known, go],
  );

  useEffect(() => {
    if (!playing || !stretch) return;
    if (!moves) {
      const timer = window.setInterval(() => {
        const to = nextStop(stops({ flights, events }, what), now.current);
        if (to !== undefined) go(to);
        else if (!known.more) {
          go(stretch.to);
          setPlaying(false);
        }
      }, stepEvery);
      return () => window.clearInterval(timer);
    }
    let frame = 0;
    let last = performance.now();
    const run = (clock: number) => {
      // A page that was hidden goes on where it was.
      const passed = Math.min(0.1, (clock - last) / 1000);
      last = clock;
      const edge = known.more ? known.to : stretch.to;
      let to = Math.min(edge, now.current + speed * passed);
      if (skip) to = Math.min(edge, afterQuiet({ flights, events }, to, speed * 0.3, speed * stay) ?? edge);
      if (to !== now.current) go(to);
      if (to >= stretch.to) {
        setPlaying(false);
        return;
      }
      frame = requestAnimationFrame(run);
    };
    frame = requestAnimationFrame(run);
    return () => cancelAnimationFrame(frame);
  }, [playing, stretch, moves, flights, events, known, speed, skip, what, go]);

  const toggle = useCallback(() => {
    if (!stretch) return;
    if (!playing && now.current >= stretch.to) go(stretch.from);
    setPlaying(!playing);
  }, [stretch, playing, go]);

  const value = useMemo(
    () => ({
      stretch,
      open,
      close,
      playing,
      toggle,
      t: elsewhere ?? t,
      now,
      go,
      step,
      what,
      setWhat,
      speed,
      setSpeed,
      skip,
      setSkip,
      all,
      setAll,
      filter,
      setFilter,
      follow,
      setFollow,
      cargo,
      present,
      spread,
      hunt: hunted,
      flights,
      events,
      moves,
      waiting,
      error,
    }),
    [
      stretch,
      open,
      close,
      playing,
      toggle,
      t,
      elsewhere,
      go,
      step,
      what,
      speed,
      skip,
      all,
      setAll,
      filter,
      follow,
      cargo,
      present,
      spread,
      hunted,
      flights,
      events,
      moves,
      waiting,
      error,
    ],
  );
  return <PlayContext value={value}>{children}</PlayContext>;
}
