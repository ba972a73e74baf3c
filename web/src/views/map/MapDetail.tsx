import { useStore } from '@xyflow/react';
import { useEffect } from 'react';
import { levelOf } from './level';

/** Tells the map's style how large everything is drawn, so that no text becomes too small to read. */
export function MapDetail({ spacing }: { spacing: number }) {
  const zoom = useStore((s) => s.transform[2]);
  const dom = useStore((s) => s.domNode);
  useEffect(() => {
    dom?.style.setProperty('--z', String(zoom));
    dom?.setAttribute('data-detail', levelOf(zoom, spacing));
  }, [dom, zoom, spacing]);
  return null;
}
