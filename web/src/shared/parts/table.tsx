import { Box, type BoxProps } from '@chakra-ui/react';
import type { ReactNode } from 'react';

/** Table cells, sized for many rows. */
const Th = (p: BoxProps) => (
  <Box
    as="th"
    textAlign="left"
    fontWeight="500"
    fontSize="12px"
    color="quiet"
    px={3}
    py={2}
    whiteSpace="nowrap"
    position="sticky"
    top={0}
    bg="panel"
    zIndex={1}
    {...p}
  />
);
export const Td = (p: BoxProps) => <Box as="td" px={3} py="7px" verticalAlign="top" {...p} />;

/** A panel that scrolls when it is too large for its place, by keys too. */
export const Scroll = ({ label, ...rest }: BoxProps & { label: string; ref?: React.Ref<HTMLDivElement> }) => (
  <Box
    bg="panel"
    border="1px solid"
    borderColor="line"
    borderRadius="md"
    overflow="auto"
    tabIndex={0}
    role="region"
    aria-label={label}
    {...rest}
  />
);

/** The head of a table that is a grid: it stays while the rows scroll. */
export const GridHead = ({ columns, children }: { columns: string; children: ReactNode }) => (
  <Box
    role="row"
    display="grid"
    style={{ gridTemplateColumns: columns }}
    position="sticky"
    top={0}
    bg="panel"
    zIndex={2}
    borderBottom="1px solid"
    borderColor="line"
    color="quiet"
    fontSize="12px"
  >
    {children}
  </Box>
);

interface Props extends BoxProps {
  label: string;
  ref?: React.Ref<HTMLDivElement>;
  /** One per column; what is in brackets is for screen readers only. */
  heads: string[];
  /** The table's bodies. */
  children: ReactNode;
  /** Below the table, as when it has no rows. */
  below?: ReactNode;
}

/** A table on a panel of its own that scrolls when it is too large for its place. */
export function Sheet({ label, heads, children, below, ...rest }: Props) {
  return (
    <Scroll label={label} {...rest}>
      <table style={{ borderCollapse: 'collapse', width: '100%' }}>
        <thead>
          <tr>
            {heads.map((h) => (
              <Th key={h}>
                {h.startsWith('(') ? (
                  <span style={{ position: 'absolute', width: 1, height: 1, overflow: 'hidden' }}>
                    {h.slice(1, -1)}
                  </span>
                ) : (
                  h
                )}
              </Th>
            ))}
          </tr>
        </thead>
        {children}
      </table>
      {below}
    </Scroll>
  );
}
