import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { http, unwrap, type Answered } from '../api/client';
import { ask } from '../api/questions';

export type { Answered };

/** The answers of a lab, the newest first; they are kept with it. */
export function useAnswers(id: string) {
  const client = useQueryClient();
  const kept = useQuery(ask.answers(id));
  const { queryKey } = ask.answers(id);
  const fresh = () => client.invalidateQueries({ queryKey });
  const add = useMutation({
    mutationFn: (body: Answered) =>
      unwrap(http.POST('/api/labs/{id}/answers', { params: { path: { id } }, body })),
    // It is seen at once.
    onMutate: (a) => client.setQueryData(queryKey, (was: Answered[] = []) => [a, ...was]),
    onSettled: fresh,
  });
  const clear = useMutation({
    mutationFn: () => unwrap(http.DELETE('/api/labs/{id}/answers', { params: { path: { id } } })),
    onMutate: () => client.setQueryData(queryKey, () => []),
    onSettled: fresh,
  });
  return { list: kept.data ?? none, add: add.mutate, clear: () => clear.mutate() };
}

const none: Answered[] = [];

/** The record of a troubleshooting: each question with its moment and its answer, the oldest first. */
export function markdown(title: string, list: Answered[]): string {
  const parts = list.toReversed().map((a) => {
    const rows = a.said.rows.length > 0 ? ['', '```', ...a.said.rows, '```'] : [];
    return [`## \`${a.said.line}\``, '', `*${a.moment}*`, '', a.error ?? a.said.says, ...rows].join('\n');
  });
  return `${[`# ${title}`, ...parts].join('\n\n')}\n`;
}
