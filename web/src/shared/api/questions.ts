import {
  keepPreviousData,
  type QueryClient,
  type QueryFunctionContext,
  type QueryKey,
  type UseQueryOptions,
} from '@tanstack/react-query';
import createQueries from 'openapi-react-query';
import { http, queries, unwrap, type LabState, type SweepRow, type Trial } from './client';
import type { paths } from './schema';

const api = createQueries(http);

/** Options as the client makes them, but for the errors: those are ApiErrors, made by the client's middleware. */
const options = <D, E, K extends QueryKey>(made: UseQueryOptions<D, E, D, K>) =>
  made as unknown as UseQueryOptions<D, Error, D, K>;

/** The answer stays on the page while the next is on its way. */
const stays = { placeholderData: keepPreviousData };

const lab = (id: string) => ({ params: { path: { id } } });
const at = (id: string, when: string) => ({ params: { path: { id }, query: { at: when } } });

/** What a critical path leads to: a flow, a pair of devices, or the last change of all. */
export type About = { flow?: string; from?: string; to?: string };

/** Which routes are asked for, and which part of them. */
export type RoutesChosen = Omit<
  NonNullable<paths['/api/labs/{id}/routes/csv']['get']['parameters']['query']>,
  'at'
>;
export type RoutesWindow = Omit<
  NonNullable<paths['/api/labs/{id}/routes']['get']['parameters']['query']>,
  'at' | keyof RoutesChosen
>;

/** Which ports, and which adjacencies and sessions, are asked for. */
export type PortsChosen = Omit<
  NonNullable<paths['/api/labs/{id}/ports']['get']['parameters']['query']>,
  'at'
>;
export type NeighboursChosen = Omit<
  NonNullable<paths['/api/labs/{id}/neighbours']['get']['parameters']['query']>,
  'at'
>;

/** Which LSAs are asked for. */
export type DatabaseChosen = Omit<
  NonNullable<paths['/api/labs/{id}/database']['get']['parameters']['query']>,
  'at'
>;

/** Which messages are asked for. */
export type MessagesChosen = Omit<
  NonNullable<paths['/api/labs/{id}/messages/csv']['get']['parameters']['query']>,
  'at'
>;

/** Which failures of a sweep are asked for. */
export type SweptChosen = NonNullable<paths['/api/labs/{id}/sweeps/{sweep}']['get']['parameters']['query']>;

/** Whether a sweep finds more without being asked. */
export const sweeping = (s: SweepRow | undefined) => s?.state === 'preparing' || s?.state === 'running';

/** How often a sweep that goes on is asked for, in milliseconds. */
const sweepEvery = 500;

/** A session's table, or with an empty peer a Loc-RIB, and what is looked for in it. */
export interface TableChosen {
  device: string;
  peer: string;
  way: 'in' | 'out';
  find: string;
}

/** The lab after news of it: what the answer leaves out is as it was. */
export function joined(had: LabState | undefined, news: LabState): LabState {
  if (!had || news.after === 0) return news;
  return {
    ...news,
    after: 0,
    text: news.textSeq > news.after ? news.text : had.text,
    actions: [...had.actions.slice(0, news.after), ...news.actions],
  };
}

/** All that can be asked, as options for useQuery. What lacks a part of its question is not asked. */
export const ask = {
  labs: () => options(api.queryOptions('get', '/api/labs', {}, { staleTime: 0 })),
  /** All actions that can be typed; they are the same as long as the server runs. */
  actionForms: () => options(api.queryOptions('get', '/api/actions', {}, { staleTime: Infinity })),
  /** The lab language, with examples; the same as long as the server runs. */
  language: () => options(api.queryOptions('get', '/api/language', {}, { staleTime: Infinity })),
  /** The lab; what the page has of its actions and its text is not sent again. */
  lab: (id: string) => {
    const whole = options(api.queryOptions('get', '/api/labs/{id}', lab(id)));
    return {
      ...whole,
      queryFn: async ({ client, signal }: QueryFunctionContext<typeof whole.queryKey>) => {
        const had = client.getQueryData<LabState>(whole.queryKey);
        // The latest action may go on.
        const query = had?.opened ? { opened: had.opened, after: Math.max(0, had.actions.length - 1) } : {};
        const news = http.GET('/api/labs/{id}', { params: { path: { id }, query }, signal });
        return joined(had, await unwrap(news));
      },
    };
  },
  map: (id: string, when: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/map', at(id, when), stays)),
  /** The ports of some devices or of all, or a part of them. */
  ports: (id: string, when: string, of: PortsChosen = {}) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/ports',
        { params: { path: { id }, query: { at: when, ...of } } },
        stays,
      ),
    ),
  /** Adjacencies and sessions: those of some devices, those that have something wrong, or all; or a part of them. */
  neighbours: (id: string, when: string, of: NeighboursChosen = {}) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/neighbours',
        { params: { path: { id }, query: { at: when, ...of } } },
        stays,
      ),
    ),
  /** A part of the routes. */
  routes: (id: string, when: string, part: RoutesChosen & RoutesWindow) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/routes',
        { params: { path: { id }, query: { at: when, ...part } } },
        stays,
      ),
    ),
  /** What can be named and is in no other list: for completion. */
  names: (id: string, when: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/names', at(id, when), stays)),
  /** A part of an area's database. */
  database: (id: string, when: string, of: DatabaseChosen = {}) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/database',
        { params: { path: { id }, query: { at: when, ...of } } },
        stays,
      ),
    ),
  /** A part of the messages, the newest first. */
  messages: (id: string, when: string, part: MessagesChosen & { offset?: number; limit?: number }) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/messages',
        { params: { path: { id }, query: { at: when, ...part } } },
        stays,
      ),
    ),
  /** What the running network shows that its text does not. */
  warnings: (id: string, when: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/warnings', at(id, when), stays)),
  takes: (id: string, when: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/takes', at(id, when), stays)),
  policies: (id: string, when: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/policies', at(id, when), stays)),
  checks: (id: string, when: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/checks', at(id, when), stays)),
  brief: (id: string) => options(api.queryOptions('get', '/api/labs/{id}/brief', lab(id), stays)),
  revisions: (id: string) => options(api.queryOptions('get', '/api/labs/{id}/revisions', lab(id))),
  /** The journal as it is kept, also of a lab that cannot be replayed. */
  journal: (id: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/journal', lab(id), { staleTime: 0 })),
  /** The drafts that the server keeps; asked for once, since the page itself is what changes its own. */
  drafts: (id: string) =>
    options(api.queryOptions('get', '/api/labs/{id}/drafts', lab(id), { staleTime: 0, gcTime: 0 })),

  /** What was asked of the lab, the newest first. */
  answers: (id: string) => options(api.queryOptions('get', '/api/labs/{id}/answers', lab(id), stays)),

  /** The shortest-path tree of a router. */
  tree: (id: string, when: string, device: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/tree',
        { params: { path: { id }, query: { at: when, device } } },
        { enabled: device !== '' },
      ),
    ),
  ladder: (id: string, when: string, a: string, b: string) =>
    options(
      api.queryOptions('get', '/api/labs/{id}/ladder', {
        params: { path: { id }, query: { at: when, a, b } },
      }),
    ),
  summary: (id: string, when: string, prefixes: string[], area: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/summary',
        { params: { path: { id }, query: { at: when, prefixes, area } } },
        stays,
      ),
    ),
  /** The packets of what a port is joined to, of some kinds or of all. */
  packets: (id: string, port: string, from: string, to: string, kinds: string[]) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/packets',
        { params: { path: { id }, query: { port, from, to, kinds } } },
        { ...stays, enabled: port !== '' },
      ),
    ),
  story: (id: string, when: string, device: string, to: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/explain',
        { params: { path: { id }, query: { at: when, device, to } } },
        { enabled: device !== '' && to !== '' },
      ),
    ),
  path: (id: string, when: string, from: string, to: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/path',
        { params: { path: { id }, query: { at: when, from, to } } },
        { ...stays, enabled: from !== '' && to !== '' },
      ),
    ),
  /** The story of a prefix through BGP, at one router or at all that have it. */
  paths: (id: string, when: string, to: string, device: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/paths',
        { params: { path: { id }, query: { at: when, to, device } } },
        { ...stays, enabled: to !== '' },
      ),
    ),
  /** A part of a session's table, or with an empty peer of the Loc-RIB of a router. */
  pathTable: (id: string, when: string, part: TableChosen & { by: string; offset: number; limit: number }) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/path-table',
        { params: { path: { id }, query: { at: when, ...part } } },
        { ...stays, enabled: part.device !== '' },
      ),
    ),
  /** What an AS and its neighbour ASes send each other; 0 is the AS with the most routers. */
  borders: (id: string, when: string, as: number) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/borders',
        { params: { path: { id }, query: { at: when, ...(as ? { as } : {}) } } },
        stays,
      ),
    ),
  /** Routes run through a policy, and through that of a draft. */
  bench: (id: string, when: string, trial: Trial, enabled: boolean) =>
    options(
      api.queryOptions(
        'post',
        '/api/labs/{id}/bench',
        { ...at(id, when), body: trial },
        { ...stays, enabled },
      ),
    ),
  /** The sweeps of a lab, the newest first. */
  sweeps: (id: string) =>
    options({
      ...api.queryOptions('get', '/api/labs/{id}/sweeps', lab(id), stays),
      refetchInterval: (q) => (q.state.data?.some(sweeping) ? sweepEvery : false),
    }),
  /** What a sweep has found so far; asked for again as long as it goes on. */
  sweep: (id: string, sweep: string, of: SweptChosen = {}) =>
    options({
      ...api.queryOptions(
        'get',
        '/api/labs/{id}/sweeps/{sweep}',
        { params: { path: { id, sweep }, query: of } },
        { ...stays, enabled: sweep !== '' },
      ),
      refetchInterval: (q) => (sweeping(q.state.data?.sweep) ? sweepEvery : false),
    }),
  /** Two sweeps held against each other. */
  sweepAgainst: (id: string, sweep: string, other: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/sweeps/{sweep}/against/{other}',
        { params: { path: { id, sweep, other } } },
        { ...stays, enabled: sweep !== '' && other !== '' },
      ),
    ),
  /** Which failures a previewed change makes worse, and which better. */
  previewFailures: (id: string, preview: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/previews/{preview}/failures',
        { params: { path: { id, preview } } },
        { enabled: preview !== '', staleTime: Infinity, retry: false },
      ),
    ),
  about: () => options(api.queryOptions('get', '/api/about', {}, { staleTime: 0, refetchInterval: 1000 })),
  action: (id: string, seq: number) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/actions/{seq}',
        { params: { path: { id, seq } } },
        { enabled: seq > 0 },
      ),
    ),
  /** The events of an action in a part of its time, 0 and 0 for all of it, with what is looked for in marks of their own. */
  actionPart: (id: string, seq: number, from: number, to: number, find: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/actions/{seq}',
        { params: { path: { id, seq }, query: { from, to, find } } },
        { ...stays, enabled: seq > 0 },
      ),
    ),
  /** What is different between two moments. */
  comparison: (id: string, since: string, when: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/comparison',
        { params: { path: { id }, query: { before: since, after: when } } },
        { ...stays, enabled: since !== '' },
      ),
    ),
  revisionPair: (id: string, before: number, after: number) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/revision-pair',
        { params: { path: { id }, query: { before, after } } },
        { enabled: before > 0 && after > 0 },
      ),
    ),
  criticalPath: (id: string, seq: number, about: About) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/critical-path',
        { params: { path: { id }, query: { seq, ...about } } },
        { ...stays, enabled: seq > 0 },
      ),
    ),
  criticalPathWith: (id: string, body: { seq: number; text: string } & About, wanted: boolean) =>
    options(
      api.queryOptions(
        'post',
        '/api/labs/{id}/critical-path',
        { params: { path: { id } }, body },
        { enabled: wanted },
      ),
    ),
  /** How routers chose among the paths of a prefix. */
  hunt: (id: string, prefix: string, from: number, to: number) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/hunt',
        { params: { path: { id }, query: { prefix, from, to } } },
        { ...stays, enabled: /^[0-9a-f.:]+\/\d+$/.test(prefix) },
      ),
    ),
  shortenings: (id: string, seq: number, about: About) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/shortenings',
        { params: { path: { id }, query: { seq, ...about } } },
        { ...stays, enabled: seq > 0 },
      ),
    ),
  pairs: (id: string, seq: number) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/pairs',
        { params: { path: { id }, query: { seq } } },
        { ...stays, enabled: seq > 0 },
      ),
    ),
  why: (id: string, when: string, question: string, who: string, to: string) =>
    options(
      api.queryOptions(
        'get',
        '/api/labs/{id}/why',
        { params: { path: { id }, query: { at: when, question, who, to } } },
        { enabled: question !== '', retry: false },
      ),
    ),
};

/** Whoever shows what was asked for shows what went wrong as well. */
const ignored = () => undefined;

/** Asks for what every page of a lab needs, before there is a page. */
export function prefetch(id: string, when: string) {
  queries.query(ask.lab(id)).catch(ignored);
  queries.query(ask.actionForms()).catch(ignored);
  queries.query(ask.map(id, when)).catch(ignored);
}

/** What news of a lab leaves as it is: what is kept of it beside its history. */
const apart = ['/api/labs/{id}/drafts', '/api/labs/{id}/journal'];

type Key = readonly [method: string, path: string, init?: { params?: { path?: { id?: string } } }];

/** Marks everything known of a lab as stale. */
export const forget = (client: QueryClient, id: string, below = '') =>
  client.invalidateQueries({
    predicate: ({ queryKey }) => {
      const [, path, init] = queryKey as Key;
      return init?.params?.path?.id === id && !apart.includes(path) && path.startsWith(below);
    },
  });

/** Marks the list of labs as stale. */
export const forgetLabs = (client: QueryClient) =>
  client.invalidateQueries({ queryKey: ask.labs().queryKey });
