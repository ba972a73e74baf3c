import { useQuery } from '@tanstack/react-query';
import { http, unwrap, type Hunk, type LabState, type Problem } from '../api/client';
import { useDelayed } from '../parts/delayed';

const noProblems: Problem[] = [];
const noLines: Hunk[] = [];

/** What the server says of a text, at once after a gesture and a moment after the last key. */
export function useChecked(id: string, lab: LabState, text: string, byKeys: boolean) {
  const settled = useDelayed(text, byKeys ? 150 : 0);
  const checked = useQuery({
    queryKey: ['check', id, lab.textSeq, settled],
    queryFn: () =>
      unwrap(http.POST('/api/labs/{id}/check', { params: { path: { id } }, body: { text: settled } })),
    placeholderData: (p) => p,
  });
  const problems = checked.data?.problems ?? noProblems;
  return {
    /** The text that was asked about. */
    settled,
    /** What was said of the text before is not said of this one. */
    checking: settled !== text || checked.isPlaceholderData || checked.isPending,
    problems,
    errors: problems.filter((p) => p.severity === 'error').length,
    touched: checked.data?.touched ?? [],
    lines: checked.data?.lines ?? noLines,
    changes: checked.data?.ok ? checked.data.changes : undefined,
    error: checked.error,
  };
}
