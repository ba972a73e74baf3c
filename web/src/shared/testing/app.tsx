import { ChakraProvider } from '@chakra-ui/react';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render } from '@testing-library/react';
import type { ReactElement } from 'react';
import { BrowserRouter, Route, Routes, useLocation } from 'react-router';
import { vi } from 'vitest';
import { system } from '../../theme';
import { DraftingContext, HandsContext, type Drafting, type Hands } from '../draft/drafting';

/** What the server answers, by "METHOD /path", with or without its query, or as a function of that; a number is a status with a problem. */
export type Answers = Record<string, unknown>;

/** A problem (RFC 9457) as the server would send it. */
export const problem = (status: number, detail: string, errors: unknown[] = []) => ({
  status,
  detail,
  errors,
});

function Where() {
  const { pathname, search } = useLocation();
  return <output data-testid="address">{decodeURIComponent(pathname + search)}</output>;
}

/** A lab that is open, and nothing is drafted for it. */
export const nothingDrafted = {
  draft: { text: '', base: 1 },
  dirty: false,
  past: false,
  edit: () => Promise.resolve(''),
  write: () => undefined,
  problems: [],
  lines: [],
  touched: [],
} as unknown as Drafting;

const handsOf = (d: Drafting): Hands => ({
  ...d,
  text: () => d.draft.text,
  undo: () => d.undo?.(),
  redo: () => d.redo?.(),
});

/** Renders a part of the page at an address, with a server that answers as given. Returns what was asked of it. */
export function show(
  element: ReactElement,
  answers: Answers,
  address = '/lab/x1/map',
  drafting = nothingDrafted,
) {
  const asked: string[] = [];
  vi.stubGlobal('fetch', async (request: Request) => {
    const url = new URL(request.url);
    const body = request.method === 'POST' ? await request.text() : '';
    asked.push(`${request.method} ${decodeURIComponent(url.pathname + url.search)}${body && ` ${body}`}`);
    const path = `${request.method} ${url.pathname}`;
    const given = answers[path + url.search] ?? answers[path];
    const answer =
      typeof given === 'function' ? (given as (q: URLSearchParams) => unknown)(url.searchParams) : given;
    if (answer === undefined) throw new TypeError('no server');
    const refused = typeof answer === 'object' && answer !== null && 'status' in answer && 'detail' in answer;
    return new Response(JSON.stringify(answer), {
      status: refused ? Number(answer.status) : 200,
      headers: { 'Content-Type': 'application/json' },
    });
  });
  window.history.replaceState(null, '', address);
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <ChakraProvider value={system}>
      <QueryClientProvider client={client}>
        <HandsContext value={handsOf(drafting)}>
          <DraftingContext value={drafting}>
            <BrowserRouter>
              <Where />
              <Routes>
                <Route path="/" element={element} />
                <Route path="/lab/:id/:view" element={element} />
              </Routes>
            </BrowserRouter>
          </DraftingContext>
        </HandsContext>
      </QueryClientProvider>
    </ChakraProvider>,
  );
  return asked;
}
