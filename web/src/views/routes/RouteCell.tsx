import { Box, chakra } from '@chakra-ui/react';
import type { Cell } from '../../shared/api/client';
import { Mono, Quiet } from '../../shared/parts/parts';

interface CellProps {
  cell: Cell | undefined;
  dim: boolean;
  open: boolean;
  toggle: () => void;
  label: string;
}

/** Kinds of OSPF routes where room is short; those inside an area go without saying. */
const shortKind: Record<string, string> = {
  'inter-area': 'inter-area',
  'external type 1': 'external 1',
  'external type 2': 'external 2',
  range: 'range',
};

/** Where a router sends what is for a prefix, and from which source. */
export function RouteCell({ cell, dim, open, toggle, label }: CellProps) {
  return (
    <Box role="cell" bg={open ? 'chosen' : undefined}>
      <chakra.button
        onClick={toggle}
        aria-expanded={open}
        title={`${label}: the whole story`}
        data-cell={label}
        textAlign="left"
        w="full"
        h="full"
        px={3}
        py="6px"
        opacity={dim ? 0.35 : 1}
        _hover={{ bg: 'chosen' }}
      >
        {cell ? (
          <>
            <Box>
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
                <Quiet title={cell.kind}>
                  OSPF {cell.metric}
                  {cell.kind === 'external type 2' && ` + ${cell.metric2}`}
                  {cell.kind && cell.kind !== 'intra-area' && `, ${shortKind[cell.kind] ?? cell.kind}`}
                  {cell.tag ? `, tag ${cell.tag}` : ''}
                </Quiet>
              )}
              {cell.source === 'static' && <Quiet>static {cell.preference}</Quiet>}
              {cell.source === 'bgp' && <Quiet>BGP, {cell.kind}</Quiet>}
              {cell.source === 'taken' && (
                <Quiet>
                  from {cell.origin}
                  {cell.tag ? `, tag ${cell.tag}` : ''}
                </Quiet>
              )}
            </Box>
            <Mono color="quiet" fontSize="11px">
              {cell.nextHops.map((h) => (h.via ? `${h.via} ${h.port}` : h.port)).join(', ')}
            </Mono>
          </>
        ) : (
          <Quiet>no route</Quiet>
        )}
      </chakra.button>
    </Box>
  );
}
