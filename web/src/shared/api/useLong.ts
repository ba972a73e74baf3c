import { useQuery } from '@tanstack/react-query';
import type { QueryKey } from '@tanstack/react-query';
import { useState } from 'react';
import { manyBodies } from '../parts/bodies';
import { nothing, type Long, type Range } from '../parts/pages';
import { useParts, type PartOf } from './useParts';

/**
 * A list that may be long: its first part, which says how many rows were found, and if those are many, whichever of them are in
 * sight. rows is the same function each time.
 */
export function useLong<D extends { offset: number; found: number }, R, K extends QueryKey>(
  part: PartOf<D, K>,
  rows: (d: D) => R[],
  enabled = true,
) {
  const [sight, sees] = useState<Range>(nothing);
  const first = useQuery({ ...part(0, manyBodies), enabled });
  const found = first.data?.found ?? 0;
  const large = found > manyBodies;
  const inSight = useParts(large ? sight : nothing, manyBodies, part, rows);
  const long: Long<R> = { large, found, sees, row: (i) => inSight.get(i) };
  return { first, long };
}
