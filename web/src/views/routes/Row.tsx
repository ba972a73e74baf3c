import { Box, chakra } from '@chakra-ui/react';
import { memo, type Dispatch, type SetStateAction } from 'react';
import type { RouteRow } from '../../shared/api/client';
import { useFocus } from '../../shared/focus/focus';
import { Mono, Quiet } from '../../shared/parts/parts';
import { RouteCell } from './RouteCell';
import { Story } from './Story';

interface Props {
  row: RouteRow;
  columns: string;
  /** The columns that are drawn. */
  devices: string[];
  /** There are more of them, to the left or right. */
  wide: boolean;
  source: string;
  /** The device whose story is open; none for ''. */
  open: string;
  setOpen: (open: { prefix: string; device: string } | undefined) => void;
  focused: boolean;
  picked: boolean;
  pick: Dispatch<SetStateAction<string[]>>;
  alike: (prefix: string) => void;
}

/** A prefix at the routers in sight. It is drawn anew only when something of it changes, not with each step of scrolling. */
export const Row = memo(function Row(p: Props) {
  const { set } = useFocus();
  const { row, open } = p;
  return (
    <div className="line" data-focused={p.focused}>
      <div role="row" className="row" style={{ gridTemplateColumns: p.columns }}>
        <div role="rowheader" className="first">
          <input
            type="checkbox"
            aria-label={`mark ${row.prefix}`}
            style={{ marginRight: 8 }}
            checked={p.picked}
            onChange={(e) => {
              const on = e.target.checked;
              p.pick((before) => (on ? [...before, row.prefix] : before.filter((x) => x !== row.prefix)));
            }}
          />
          <chakra.button onClick={() => void set({ to: row.prefix })} textAlign="left">
            <Mono fontWeight="600">{row.prefix}</Mono>
          </chakra.button>
          <Quiet display="block" fontSize="11px">
            {row.owner}
          </Quiet>
          {(row.same ?? 0) > 0 && (
            <chakra.button
              fontSize="11px"
              color="plum"
              textDecoration="underline"
              title="every router of these columns treats them alike"
              onClick={() => p.alike(row.prefix)}
            >
              and {row.same} alike
            </chakra.button>
          )}
        </div>
        {p.wide && <span />}
        {p.devices.map((d) => (
          <RouteCell
            key={d}
            cell={row.cells[d]}
            dim={p.source !== 'all' && row.cells[d]?.source !== p.source}
            open={open === d}
            setOpen={p.setOpen}
            prefix={row.prefix}
            device={d}
          />
        ))}
      </div>
      {open && (
        <Box px={3} pb={3} position="sticky" left={0} maxW="860px">
          <Story device={open} to={row.prefix} />
        </Box>
      )}
    </div>
  );
});
