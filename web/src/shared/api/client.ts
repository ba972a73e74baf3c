import { QueryClient, keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

type Schemas = components['schemas'];
export type LabRow = Schemas['LabRow'];
export type LabState = Schemas['LabState'];
export type Action = Schemas['Action'];
export type ActionDetail = Schemas['ActionDetail'];
export type MapData = Schemas['Map'];
export type MapLink = Schemas['MapLink'];
export type MapEnd = Schemas['MapEnd'];
export type MapVirtual = Schemas['MapVirtual'];
export type MapDevice = Schemas['MapDevice'];
export type Flow = Schemas['Flow'];
export type Path = Schemas['Path'];
export type Neighbour = Schemas['Neighbour'];
export type Session = Schemas['Session'];
export type SessionSide = Schemas['SessionSide'];
export type MapSession = Schemas['MapSession'];
export type PrefixPaths = Schemas['PrefixPaths'];
export type RouterPaths = Schemas['RouterPaths'];
export type PathRow = Schemas['PathRow'];
export type SentRow = Schemas['SentRow'];
export type PolicyTrace = Schemas['PolicyTrace'];
export type Attributes = Schemas['Attributes'];
export type PathTable = Schemas['PathTable'];
export type TableRow = Schemas['TableRow'];
export type Bench = Schemas['Bench'];
export type Tried = Schemas['Tried'];
export type Trial = Schemas['Trial'];
export type Reason = Schemas['Reason'];
export type Port = Schemas['Port'];
export type Process = Schemas['Process'];
export type AreaDatabase = Schemas['AreaDatabase'];
export type LSA = Schemas['LSA'];
export type RouteTable = Schemas['Routes'];
export type RouteRow = Schemas['RouteRow'];
export type Cell = Schemas['Cell'];
export type RouteStory = Schemas['RouteStory'];
export type Problem = Schemas['Problem'];
export type Checked = Schemas['Checked'];
export type ProbeReply = Schemas['ProbeReply'];
export type ProbeEnd = Schemas['ProbeEnd'];
export type Tree = Schemas['Tree'];
export type LadderSide = Schemas['LadderSide'];
export type Message = Schemas['Message'];
export type Packet = Schemas['Packet'];
export type Summary = Schemas['Summary'];
export type FlowOutages = Schemas['FlowOutages'];

export type Comparison = Schemas['Comparison'];
export type Section = Schemas['Section'];
export type Difference = Schemas['Row'];
export type Previewed = Schemas['Previewed'];
export type PreviewRequest = Schemas['PreviewRequest'];
export type CheckResult = Schemas['Result'];
export type Answer = Schemas['Answer'];
export type Fact = Schemas['Fact'];
export type Revision = Schemas['Revision'];
export type Brief = Schemas['Brief'];
export type Pairs = Schemas['Pairs'];
export type Block = Schemas['Block'];
export type ActionForm = Schemas['ActionForm'];
export type NamedMoment = Schemas['NamedMoment'];
export type KeptDraft = Schemas['Draft'];

export const http = createClient<paths>({
  baseUrl: typeof location === 'undefined' ? '' : location.origin,
  fetch: (request) => fetch(request), // looked up at each call, so that tests can replace the server
});

/** Whether to ask again: not after an answer that another try would not change. */
const again = (failures: number, error: Error) =>
  failures < 2 &&
  !(error instanceof ApiError && (error.status === 404 || error.status === 422 || error.status === 500));

export const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 60_000, retry: again, refetchOnWindowFocus: false } },
});

/** An answer that is a problem (RFC 9457), with its details. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly details: { message?: string; location?: string; value?: unknown }[],
  ) {
    super(message);
  }
}

type Reply<T> = { data?: T; error?: Schemas['ErrorModel']; response: Response };

const unreachable = 'The server does not answer. Nothing is lost: this page tries again by itself.';

/** The data of an answer, or an ApiError. A server that cannot be reached is one with status 0, said in these words. */
export async function unwrap<T>(answer: Promise<Reply<T>>, away = unreachable): Promise<T> {
  let got: Reply<T>;
  try {
    got = await answer;
  } catch {
    throw new ApiError(0, away, []);
  }
  if (got.error !== undefined || !got.response.ok) {
    const e = got.error;
    throw new ApiError(
      got.response.status,
      e?.detail ?? e?.title ?? `The server says ${got.response.status}.`,
      e?.errors ?? [],
    );
  }
  return got.data as T;
}

/** The keys of the questions that take their time, to stop one. */
export const asking = {
  checks: (id: string, when: string) => [...labKey(id), 'checks', when],
  comparison: (id: string, since: string, when: string) => [...labKey(id), 'comparison', since, when],
  pairs: (id: string, seq: number) => [...labKey(id), 'pairs', seq],
  why: (id: string, when: string, question: string, who: string, to: string) => [
    ...labKey(id),
    'why',
    when,
    question,
    who,
    to,
  ],
};

/** All that is known of a lab at a moment is below this key, so that news makes all of it stale at once. */
const labKey = (id: string) => ['lab', id] as const;

export const useLabs = () =>
  useQuery({ queryKey: ['labs'], queryFn: () => unwrap(http.GET('/api/labs')), staleTime: 0 });

/** All actions that can be typed; they are the same as long as the server runs. */
export const useActionForms = () => useQuery(actionForms);

const actionForms = {
  queryKey: ['actions'],
  queryFn: () => unwrap(http.GET('/api/actions')),
  staleTime: Infinity,
};

const labState = (id: string) => ({
  queryKey: [...labKey(id), 'state'],
  queryFn: () => unwrap(http.GET('/api/labs/{id}', { params: { path: { id } } })),
});

export const useLab = (id: string) => useQuery(labState(id));

const at = (id: string, when: string) => ({ params: { path: { id }, query: { at: when } } });

const mapAt = (id: string, when: string) => ({
  queryKey: [...labKey(id), 'map', when],
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    unwrap(http.GET('/api/labs/{id}/map', { ...at(id, when), signal })),
});

export const useMap = (id: string, when: string) =>
  useQuery({ ...mapAt(id, when), placeholderData: keepPreviousData });

/** Whoever shows what was asked for shows what went wrong as well. */
const ignored = () => undefined;

/** Asks for what every page of a lab needs, before there is a page. */
export function prefetch(id: string, when: string) {
  queries.query(labState(id)).catch(ignored);
  queries.query(actionForms).catch(ignored);
  queries.query(mapAt(id, when)).catch(ignored);
}

export const usePorts = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'ports', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/ports', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

export const useNeighbours = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'neighbours', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/neighbours', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

export const useRoutes = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'routes', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/routes', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

export const useDatabase = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'database', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/database', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

export const useMessages = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'messages', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/messages', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

/** The shortest-path tree of a router, '' for none. */
export const useTree = (id: string, when: string, device: string) =>
  useQuery({
    queryKey: [...labKey(id), 'tree', when, device],
    queryFn: () =>
      unwrap(http.GET('/api/labs/{id}/tree', { params: { path: { id }, query: { at: when, device } } })),
    enabled: device !== '',
  });

export const useLadder = (id: string, when: string, a: string, b: string) =>
  useQuery({
    queryKey: [...labKey(id), 'ladder', when, a, b],
    queryFn: () =>
      unwrap(http.GET('/api/labs/{id}/ladder', { params: { path: { id }, query: { at: when, a, b } } })),
  });

export const useSummary = (id: string, when: string, prefixes: string[], area: string) =>
  useQuery({
    queryKey: [...labKey(id), 'summary', when, area, ...prefixes],
    queryFn: () =>
      unwrap(
        http.GET('/api/labs/{id}/summary', {
          params: { path: { id }, query: { at: when, prefixes, area } },
          querySerializer: { array: { style: 'form', explode: false } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** The packets of what a port is joined to, of some kinds or of all. */
export const usePackets = (id: string, port: string, from: string, to: string, kinds: string[]) =>
  useQuery({
    queryKey: [...labKey(id), 'packets', port, from, to, ...kinds],
    queryFn: ({ signal }) =>
      unwrap(
        http.GET('/api/labs/{id}/packets', {
          signal,
          params: { path: { id }, query: { port, from, to, kinds } },
          querySerializer: { array: { style: 'form', explode: false } },
        }),
      ),
    enabled: port !== '',
    placeholderData: keepPreviousData,
  });

export const useStory = (id: string, when: string, device: string, to: string) =>
  useQuery({
    queryKey: [...labKey(id), 'explain', when, device, to],
    queryFn: () =>
      unwrap(
        http.GET('/api/labs/{id}/explain', { params: { path: { id }, query: { at: when, device, to } } }),
      ),
    enabled: device !== '' && to !== '',
  });

export const usePath = (id: string, when: string, from: string, to: string) =>
  useQuery({
    queryKey: [...labKey(id), 'path', when, from, to],
    queryFn: () =>
      unwrap(http.GET('/api/labs/{id}/path', { params: { path: { id }, query: { at: when, from, to } } })),
    enabled: from !== '' && to !== '',
    placeholderData: keepPreviousData,
  });

/** What the running network shows that its text does not. */
export const useWarnings = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'warnings', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/warnings', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

export const usePolicies = (id: string, when: string) =>
  useQuery({
    queryKey: [...labKey(id), 'policies', when],
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/policies', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

/** The story of a prefix through BGP, at one router or at all that have it. */
export const usePaths = (id: string, when: string, to: string, device: string) =>
  useQuery({
    queryKey: [...labKey(id), 'paths', when, to, device],
    queryFn: () =>
      unwrap(http.GET('/api/labs/{id}/paths', { params: { path: { id }, query: { at: when, to, device } } })),
    enabled: to !== '',
    placeholderData: keepPreviousData,
  });

/** The tables of a session, or with an empty peer the Loc-RIB of a router. */
export const usePathTable = (id: string, when: string, device: string, peer: string) =>
  useQuery({
    queryKey: [...labKey(id), 'path-table', when, device, peer],
    queryFn: () =>
      unwrap(
        http.GET('/api/labs/{id}/path-table', {
          params: { path: { id }, query: { at: when, device, peer } },
        }),
      ),
    enabled: device !== '',
    placeholderData: keepPreviousData,
  });

/** Routes run through a policy, and through that of a draft. */
export const useBench = (id: string, when: string, trial: Trial, enabled: boolean) =>
  useQuery({
    queryKey: [...labKey(id), 'bench', when, trial],
    queryFn: () =>
      unwrap(
        http.POST('/api/labs/{id}/bench', { params: { path: { id }, query: { at: when } }, body: trial }),
      ),
    enabled,
    placeholderData: keepPreviousData,
  });

export const useAction = (id: string, seq: number) =>
  useQuery({
    queryKey: [...labKey(id), 'action', seq],
    queryFn: () => unwrap(http.GET('/api/labs/{id}/actions/{seq}', { params: { path: { id, seq } } })),
    enabled: seq > 0,
  });

/** What is different between two moments; nothing is asked while since is ''. */
export const useComparison = (id: string, since: string, when: string) =>
  useQuery({
    queryKey: asking.comparison(id, since, when),
    queryFn: ({ signal }) =>
      unwrap(
        http.GET('/api/labs/{id}/comparison', {
          signal,
          params: { path: { id }, query: { before: since, after: when } },
        }),
      ),
    enabled: since !== '',
    placeholderData: keepPreviousData,
  });

export const useChecks = (id: string, when: string) =>
  useQuery({
    queryKey: asking.checks(id, when),
    queryFn: ({ signal }) => unwrap(http.GET('/api/labs/{id}/checks', { ...at(id, when), signal })),
    placeholderData: keepPreviousData,
  });

export const useBrief = (id: string) =>
  useQuery({
    queryKey: [...labKey(id), 'brief'],
    queryFn: () => unwrap(http.GET('/api/labs/{id}/brief', { params: { path: { id } } })),
    placeholderData: keepPreviousData,
  });

export const useRevisions = (id: string) =>
  useQuery({
    queryKey: [...labKey(id), 'revisions'],
    queryFn: () => unwrap(http.GET('/api/labs/{id}/revisions', { params: { path: { id } } })),
  });

export const useRevisionPair = (id: string, before: number, after: number) =>
  useQuery({
    queryKey: [...labKey(id), 'revision-pair', before, after],
    queryFn: () =>
      unwrap(
        http.GET('/api/labs/{id}/revision-pair', { params: { path: { id }, query: { before, after } } }),
      ),
    enabled: before > 0 && after > 0,
  });

export const usePairs = (id: string, seq: number) =>
  useQuery({
    queryKey: asking.pairs(id, seq),
    queryFn: ({ signal }) =>
      unwrap(http.GET('/api/labs/{id}/pairs', { signal, params: { path: { id }, query: { seq } } })),
    enabled: seq > 0,
    placeholderData: keepPreviousData,
  });

/** A question answered; nothing is asked while it is ''. */
export const useWhy = (id: string, when: string, question: string, who: string, to: string) =>
  useQuery({
    queryKey: asking.why(id, when, question, who, to),
    queryFn: ({ signal }) =>
      unwrap(
        http.GET('/api/labs/{id}/why', {
          signal,
          params: { path: { id }, query: { at: when, question, who, to } },
        }),
      ),
    enabled: question !== '',
    retry: false,
  });

/** Stops what is running, by the name that its news gives. */
export const stopWork = (id: string, work: string) =>
  unwrap(http.POST('/api/labs/{id}/cancel', { params: { path: { id } }, body: { work } }));

/** Finds out what a change would do. */
export const usePreviewRequest = (id: string) =>
  useMutation({
    mutationFn: (body: PreviewRequest) =>
      unwrap(http.POST('/api/labs/{id}/preview', { params: { path: { id } }, body })),
  });

/** Applies what was previewed, exactly. */
export function useApplyPreview(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ preview, ...body }: { preview: string; author: string; message: string }) =>
      unwrap(
        http.POST('/api/labs/{id}/previews/{preview}/apply', { params: { path: { id, preview } }, body }),
        'The server does not answer, so it is not known whether the change was applied: the timeline shows it once the connection is back.',
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: labKey(id) }),
  });
}

/** The drafts that the server keeps; asked for once, since the page itself is what changes its own. */
export const useKeptDrafts = (id: string) =>
  useQuery({
    queryKey: ['drafts', id],
    queryFn: () => unwrap(http.GET('/api/labs/{id}/drafts', { params: { path: { id } } })),
    staleTime: 0,
    gcTime: 0,
  });

/** Gives the moment a name, or takes a name away. */
export function useNameMoment(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ name, at }: { name: string; at: string | undefined }) =>
      at === undefined
        ? unwrap(http.DELETE('/api/labs/{id}/moments/{name}', { params: { path: { id, name } } }))
        : unwrap(http.PUT('/api/labs/{id}/moments/{name}', { params: { path: { id, name } }, body: { at } })),
    onSuccess: () => client.invalidateQueries({ queryKey: labKey(id) }),
  });
}

/** Tells an order from all others: one that comes twice is carried out once. */
const orderID = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) => b.toString(16).padStart(2, '0')).join('');

/** Does something to a lab; everything known of it is asked for anew. */
export function useAct(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: { action: string; text?: string; base?: number; author?: string; message?: string }) =>
      unwrap(
        http.POST('/api/labs/{id}/actions', { params: { path: { id } }, body: { id: orderID(), ...body } }),
        `The server does not answer, so it is not known whether "${body.action}" was done: the timeline shows it once the connection is back.`,
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: labKey(id) }),
  });
}

/** The journal as it is kept, also of a lab that cannot be replayed. */
export const useJournal = (id: string) =>
  useQuery({
    queryKey: ['journal', id],
    queryFn: () => unwrap(http.GET('/api/labs/{id}/journal', { params: { path: { id } } })),
    staleTime: 0,
  });

/** Marks everything known of a lab as stale. */
export const forget = (client: QueryClient, id: string) => client.invalidateQueries({ queryKey: labKey(id) });
