import type { ActionForm } from '../api/client';

/** What a lab has that can be named in the focus bar. */
export interface Names {
  devices: string[];
  ports: string[];
  flows: string[];
  segments: string[];
  /** Risk groups. */
  groups: string[];
  prefixes: string[];
  /** Routing instances beside main: "junction/ferry". */
  instances: string[];
  /** BGP sessions, each as its router names it: "viaduct/192.0.2.2". */
  sessions: string[];
  actions: number;
  /** Moments that have a name. */
  moments: string[];
  /** All that can be done. */
  forms: ActionForm[];
}
