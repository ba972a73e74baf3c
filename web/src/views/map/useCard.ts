import { useStoreApi, type InternalNode } from '@xyflow/react';

/**
 * A card at an end of an edge. An edge is drawn anew by the library when one of its cards moves, so this asks for the
 * card and does not listen: a thousand listeners would be asked at each step of a zoom.
 */
export function useCard(id: string): InternalNode | undefined {
  return useStoreApi().getState().nodeLookup.get(id);
}
