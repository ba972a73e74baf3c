// @vitest-environment jsdom
import { QueryClient } from '@tanstack/react-query';
import { afterEach, describe, expect, test, vi } from 'vitest';
import { ApiError, http, unwrap, type LabState } from './client';
import { ask, forget, forgetLabs } from './questions';

/** A server that answers all with one answer. */
const serve = (answer: () => Response | Promise<Response>) => {
  const asked: string[] = [];
  vi.stubGlobal('fetch', (request: Request) => {
    asked.push(request.url);
    return Promise.resolve().then(answer);
  });
  return asked;
};
const client = () => new QueryClient({ defaultOptions: { queries: { retry: false } } });

afterEach(() => vi.unstubAllGlobals());

describe('an answer that is no data', () => {
  test('a problem is an error with its words, status and places', async () => {
    serve(
      () =>
        new Response(
          JSON.stringify({
            status: 422,
            detail: 'no such port',
            errors: [{ message: 'e9', location: 'query.port' }],
          }),
          { status: 422, headers: { 'Content-Type': 'application/problem+json' } },
        ),
    );
    const wrong = await client()
      .query(ask.map('x1', 'now'))
      .catch((e: unknown) => e);
    expect(wrong).toBeInstanceOf(ApiError);
    expect(wrong).toMatchObject({
      status: 422,
      message: 'no such port',
      details: [{ location: 'query.port' }],
    });
  });
  test('what is no problem document is said by its status', async () => {
    serve(() => new Response('<h1>Bad gateway</h1>', { status: 502 }));
    await expect(client().query(ask.labs())).rejects.toMatchObject({
      status: 502,
      message: 'The server says 502.',
    });
  });
  test('no answer at all is said in words, those of the asker if it has some', async () => {
    serve(() => Promise.reject(new TypeError('failed')));
    await expect(client().query(ask.labs())).rejects.toMatchObject({ status: 0 });
    await expect(unwrap(http.GET('/api/labs'), 'It may have happened.')).rejects.toMatchObject({
      status: 0,
      message: 'It may have happened.',
    });
  });
});

test('of a lab only what is new is asked for, and joined to what is known', async () => {
  const action = (seq: number, action: string) => ({ seq, action }) as LabState['actions'][number];
  const lab = (state: Partial<LabState>) => ({ opened: 'o1', after: 0, textSeq: 1, ...state }) as LabState;
  const answers = [
    lab({ text: 'first', actions: [action(1, 'apply'), action(2, 'cut a.e1')], now: 5 }),
    lab({ text: '', after: 1, actions: [action(2, 'cut a.e1'), action(3, 'mend a.e1')], now: 7 }),
    lab({ text: 'second', after: 2, textSeq: 4, actions: [action(3, 'mend a.e1'), action(4, 'apply')] }),
    lab({ text: 'third', opened: 'o2', actions: [action(1, 'apply')] }),
  ];
  const asked = serve(() => Promise.resolve(Response.json(answers[asked.length - 1])));
  const c = client();
  const next = async () => {
    const answer = await c.query({ ...ask.lab('x1'), staleTime: 0 });
    return `${answer.text}: ${answer.actions.map((a) => a.action).join(', ')}`;
  };
  expect(await next()).toBe('first: apply, cut a.e1');
  expect(await next()).toBe('first: apply, cut a.e1, mend a.e1');
  expect(await next()).toBe('second: apply, cut a.e1, mend a.e1, apply');
  expect(await next()).toBe('third: apply');
  expect(asked.map((a) => a.split('?')[1])).toEqual([
    undefined,
    'opened=o1&after=1',
    'opened=o1&after=2',
    'opened=o1&after=3',
  ]);
});

describe('what is known of a lab', () => {
  const known = async () => {
    serve(() => new Response('{}', { headers: { 'Content-Type': 'application/json' } }));
    const c = client();
    for (const id of ['x1', 'x2'])
      await Promise.all([
        c.query(ask.map(id, 'now')),
        c.query(ask.lab(id)),
        c.query(ask.bench(id, 'now', {} as never, true)),
        c.query(ask.drafts(id)),
        c.query(ask.journal(id)),
      ]);
    await c.query(ask.labs());
    return c;
  };
  const stale = (c: QueryClient, key: readonly unknown[]) => c.getQueryState(key)?.isInvalidated;

  test('is stale after news of it, and no other is; drafts and journal stay', async () => {
    const c = await known();
    await forget(c, 'x1');
    expect(stale(c, ask.map('x1', 'now').queryKey)).toBe(true);
    expect(stale(c, ask.lab('x1').queryKey)).toBe(true);
    expect(stale(c, ask.bench('x1', 'now', {} as never, true).queryKey)).toBe(true);
    expect(stale(c, ask.journal('x1').queryKey)).toBe(false);
    expect(stale(c, ask.map('x2', 'now').queryKey)).toBe(false);
    expect(stale(c, ask.labs().queryKey)).toBe(false);
    await forgetLabs(c);
    expect(stale(c, ask.labs().queryKey)).toBe(true);
    expect(stale(c, ask.map('x2', 'now').queryKey)).toBe(false);
  });
});

test('lists are asked for with commas, and what is stopped is stopped at the server', async () => {
  const asked = serve(() => new Promise<Response>(() => undefined));
  const c = client();
  const question = ask.summary('x1', 'now', ['10.1.0.0/24', '10.1.1.0/24'], '');
  const answer = c.query(question).catch((e: unknown) => e);
  await vi.waitFor(() => expect(asked).toHaveLength(1));
  expect(decodeURIComponent(asked[0] ?? '')).toContain('prefixes=10.1.0.0/24,10.1.1.0/24');
  await c.cancelQueries({ queryKey: question.queryKey });
  expect(c.getQueryState(question.queryKey)?.fetchStatus).toBe('idle');
  await answer;
});
