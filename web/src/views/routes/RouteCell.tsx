import { memo } from 'react';
import type { Cell } from '../../shared/api/client';

interface CellProps {
  cell: Cell | undefined;
  dim: boolean;
  open: boolean;
  setOpen: (open: { prefix: string; device: string } | undefined) => void;
  prefix: string;
  device: string;
}

/** Kinds of OSPF routes where room is short; those inside an area go without saying. */
const shortKind: Record<string, string> = {
  'inter-area': 'inter-area',
  'external type 1': 'external 1',
  'external type 2': 'external 2',
  range: 'range',
};

/** Where a router sends what is for a prefix, and from which source. RoutesTable has its looks. */
export const RouteCell = memo(function RouteCell({ cell, dim, open, setOpen, prefix, device }: CellProps) {
  const label = `${prefix} at ${device}`;
  return (
    <div role="cell">
      <button
        className="cell"
        onClick={() => setOpen(open ? undefined : { prefix, device })}
        aria-expanded={open}
        title={`${label}: the whole story`}
        data-cell={label}
        data-dim={dim}
      >
        {cell ? (
          <>
            <div>
              {cell.blackhole ? (
                <b>blackhole</b>
              ) : cell.beyond ? (
                <b>beyond the lab</b>
              ) : cell.source === 'connected' ? (
                'connected'
              ) : (
                <b>{cell.nextHops.map((h) => h.to || h.via).join(' and ')}</b>
              )}{' '}
              {cell.source === 'ospf' && (
                <span className="fine" title={cell.kind}>
                  OSPF {cell.metric}
                  {cell.kind === 'external type 2' && ` + ${cell.metric2}`}
                  {cell.kind && cell.kind !== 'intra-area' && `, ${shortKind[cell.kind] ?? cell.kind}`}
                  {cell.tag ? `, tag ${cell.tag}` : ''}
                </span>
              )}
              {cell.source === 'static' && <span className="fine">static {cell.preference}</span>}
              {cell.source === 'bgp' && <span className="fine">BGP, {cell.kind}</span>}
              {cell.source === 'taken' && (
                <span className="fine">
                  from {cell.origin}
                  {cell.tag ? `, tag ${cell.tag}` : ''}
                </span>
              )}
            </div>
            <span className="ports">
              {cell.nextHops.map((h) => (h.via ? `${h.via} ${h.port}` : h.port)).join(', ')}
            </span>
          </>
        ) : (
          <span className="fine">no route</span>
        )}
      </button>
    </div>
  );
});
