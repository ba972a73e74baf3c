import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { Graph } from './graph';
import { layOut, type Places } from './layout';

/** With more cards than this, the layout takes so long that it is made beside the page. */
const large = 100;

/** The places of all cards, undefined until they are known; graph is the network as JSON, '' for none yet. */
export function useLayout(graph: string): Places | undefined {
  const read = useMemo(() => (graph ? (JSON.parse(graph) as Graph) : undefined), [graph]);
  const small = read !== undefined && read.cards.length <= large;
  const here = useMemo(() => (read && small ? layOut(read) : undefined), [read, small]);
  const beside = useQuery({
    queryKey: ['layout', graph],
    queryFn: () => layOutBeside(JSON.parse(graph) as Graph),
    enabled: read !== undefined && !small,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  });
  return small ? here : beside.data;
}

function layOutBeside(graph: Graph): Promise<Places> {
  return new Promise((done) => {
    const worker = new Worker(new URL('./layout.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = (e: MessageEvent<Places>) => {
      worker.terminate();
      done(e.data);
    };
    // A browser that has no workers lays out itself.
    worker.onerror = () => {
      worker.terminate();
      done(layOut(graph));
    };
    worker.postMessage(graph);
  });
}
