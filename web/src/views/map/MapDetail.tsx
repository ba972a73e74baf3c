import { useStore } from '@xyflow/react';
import { useEffect } from 'react';
import type { Level } from './level';

/** Tells the map's style how large everything is drawn, so that no text becomes too small to read. */
export function MapDetail({ zoom, level }: { zoom: number; level: Level }) {
  const dom = useStore((s) => s.domNode);
  useEffect(() => {
    dom?.style.setProperty('--z', String(zoom));
    dom?.setAttribute('data-detail', level);
  }, [dom, zoom, level]);
  return null;
}
