import { layOut, type Places } from './layout';
import type { Graph } from './graph';

// Lays a large map out beside the page, which goes on meanwhile.
self.onmessage = (e: MessageEvent<Graph>) => {
  const places: Places = layOut(e.data);
  self.postMessage(places);
};
