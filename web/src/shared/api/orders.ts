import { useMutation, useQueryClient } from '@tanstack/react-query';
import { http, unwrap, type PreviewRequest } from './client';
import { forget } from './questions';

/** Makes a lab from a text; made is what happens with it then. */
export const useNewLab = (made: (lab: { id: string }) => void) =>
  useMutation({
    mutationFn: (text: string) => unwrap(http.POST('/api/labs', { body: { text } })),
    onSuccess: made,
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
    onSuccess: () => forget(client, id),
  });
}

/** Gives the moment a name, or takes a name away. */
export function useNameMoment(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ name, at }: { name: string; at: string | undefined }) =>
      at === undefined
        ? unwrap(http.DELETE('/api/labs/{id}/moments/{name}', { params: { path: { id, name } } }))
        : unwrap(http.PUT('/api/labs/{id}/moments/{name}', { params: { path: { id, name } }, body: { at } })),
    onSuccess: () => forget(client, id),
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
    onSuccess: () => forget(client, id),
  });
}

/** Begins, stops and goes on with sweeps; what is known of them is asked for anew. */
export function useSweepOrder(id: string) {
  const client = useQueryClient();
  const anew = () => forget(client, id, '/api/labs/{id}/sweeps');
  const begin = useMutation({
    mutationFn: (body: {
      text?: string;
      kinds?: string[];
      own?: string[];
      depth?: number;
      budget?: number;
    }) => unwrap(http.POST('/api/labs/{id}/sweeps', { params: { path: { id } }, body })),
    onSuccess: anew,
  });
  const order = useMutation({
    mutationFn: ({ sweep, what }: { sweep: string; what: 'stop' | 'go-on' | 'delete' }): Promise<unknown> => {
      const params = { path: { id, sweep } };
      if (what === 'delete') return unwrap(http.DELETE('/api/labs/{id}/sweeps/{sweep}', { params }));
      if (what === 'stop') return unwrap(http.POST('/api/labs/{id}/sweeps/{sweep}/stop', { params }));
      return unwrap(http.POST('/api/labs/{id}/sweeps/{sweep}/go-on', { params }));
    },
    onSuccess: anew,
  });
  return { begin, order };
}

/** Makes a lab in which a failure of a sweep happens. */
export const useOpenFailure = (id: string, made: (lab: { id: string }) => void) =>
  useMutation({
    mutationFn: ({ sweep, ...body }: { sweep: string; name: string; after?: string }) =>
      unwrap(http.POST('/api/labs/{id}/sweeps/{sweep}/open', { params: { path: { id, sweep } }, body })),
    onSuccess: made,
  });
