import { QueryClient } from '@tanstack/react-query';
import createClient from 'openapi-fetch';
import type { components, paths } from './schema';
import { shortHash } from './keys';

type Schemas = components['schemas'];
export type LabRow = Schemas['LabRow'];
export type BriefTask = Schemas['BriefTask'];
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
export type TablePart = Schemas['TablePart'];
export type TableLine = Schemas['TableLine'];
export type TableRow = Schemas['TableRow'];
export type Borders = Schemas['Borders'];
export type Crossing = Schemas['Crossing'];
export type Bench = Schemas['Bench'];
export type Tried = Schemas['Tried'];
export type Trial = Schemas['Trial'];
export type Reason = Schemas['Reason'];
export type Port = Schemas['Port'];
export type Process = Schemas['Process'];
export type AreaOf = Schemas['AreaOf'];
export type LSA = Schemas['LSA'];
export type RouteRow = Schemas['RouteRow'];
export type Routes = Schemas['RoutesPart'];
export type Cell = Schemas['Cell'];
export type Take = Schemas['Take'];
export type TakeRoute = Schemas['TakeRoute'];
export type RouteStory = Schemas['RouteStory'];
export type Problem = Schemas['Problem'];
export type Checked = Schemas['Checked'];
export type Hunk = Schemas['Hunk'];
export type Change = Schemas['Change'];
export type Sketch = Schemas['Sketch'];
export type Said = Schemas['Said'];
export type Answered = Schemas['KeptAnswer'];
export type Statement = Schemas['Statement'];
export type Suggestion = Schemas['Suggestion'];
export type Fix = Schemas['Fix'];
export type ProbeReply = Schemas['ProbeReply'];
export type ProbeEnd = Schemas['ProbeEnd'];
export type Tree = Schemas['Tree'];
export type LadderSide = Schemas['LadderSide'];
export type Message = Schemas['Message'];
export type Packet = Schemas['Packet'];
export type Summary = Schemas['Summary'];
export type Hunt = Schemas['Hunt'];
export type FlowOutages = Schemas['FlowOutages'];

export type SweepRow = Schemas['SweepRow'];
export type SweepFound = Schemas['SweepFound'];
export type Swept = Schemas['Swept'];
export type FlowImpact = Schemas['FlowImpact'];
export type CriticalPlace = Schemas['CriticalPlace'];
export type Against = Schemas['Against'];
export type Within = Schemas['Within'];
export type AboutServer = Schemas['AboutServer'];
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
export type Stretch = Schemas['Stretch'];
export type Flight = Schemas['Flight'];
export type Occurrence = Schemas['Occurrence'];
export type Chain = Schemas['Chain'];
export type Wait = Schemas['Wait'];
export type Shortening = Schemas['Shortening'];
export type Block = Schemas['Block'];
export type ActionForm = Schemas['ActionForm'];
export type NamedMoment = Schemas['NamedMoment'];
export type KeptDraft = Schemas['Draft'];

/** An answer that is a problem (RFC 9457), with its details; status 0 for no answer at all. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly details: { message?: string; location?: string; value?: unknown }[] = [],
  ) {
    super(message);
  }
}

const unreachable = 'The server does not answer. Nothing is lost: this page tries again by itself.';

/** The one client of the API. Its promises give data or reject with an ApiError. */
export const http = createClient<paths>({
  baseUrl: typeof location === 'undefined' ? '' : location.origin,
  fetch: (request) => fetch(request), // looked up at each call, so that tests can replace the server
  querySerializer: { array: { style: 'form', explode: false } },
});

http.use({
  async onResponse({ response }) {
    if (response.ok) return;
    const problem = (await response.json().catch(() => undefined)) as Schemas['ErrorModel'] | undefined;
    throw new ApiError(
      response.status,
      problem?.detail ?? problem?.title ?? `The server says ${response.status}.`,
      problem?.errors ?? [],
    );
  },
  onError({ error, request }) {
    if (!request.signal.aborted && !(error instanceof ApiError)) return new ApiError(0, unreachable);
  },
});

/** The data of an answer. A server that does not answer is said in the words of away. */
export async function unwrap<T>(answer: Promise<{ data?: T }>, away = unreachable): Promise<T> {
  try {
    return (await answer).data as T;
  } catch (e) {
    throw e instanceof ApiError && e.status === 0 ? new ApiError(0, away) : e;
  }
}

/** Whether to ask again: not after an answer that another try would not change. */
const again = (failures: number, error: Error) =>
  failures < 2 &&
  !(error instanceof ApiError && (error.status === 404 || error.status === 422 || error.status === 500));

export const queries = new QueryClient({
  defaultOptions: {
    queries: { staleTime: 60_000, retry: again, refetchOnWindowFocus: false, queryKeyHashFn: shortHash },
  },
});
