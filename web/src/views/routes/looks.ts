/** The looks of all cells: hundreds are drawn with each step of scrolling, so none has any of its own. Whatever holds them has these. */
export const cellLooks = {
  '& .cell': { textAlign: 'left', w: 'full', h: 'full', px: 3, py: '6px', cursor: 'pointer' },
  '& .cell:hover, & .cell[aria-expanded=true]': { bg: 'chosen' },
  '& .cell[data-dim=true]': { opacity: 0.35 },
  '& .fine': { color: 'quiet' },
  '& .ports': { color: 'quiet', fontFamily: 'mono', fontSize: '11px' },
};

/** The same of rows. */
export const rowLooks = {
  '& .head': { px: 3, py: 2, fontWeight: 500 },
  '& .head[data-focused=true]': { fontWeight: 650 },
  '& .place': { position: 'absolute', top: 0, left: 0, w: 'full' },
  '& .row': { display: 'grid' },
  '& .first': { px: 3, py: '6px', position: 'sticky', left: 0, zIndex: 1, bg: 'panel' },
  '& .line': { borderBottom: '1px solid', borderColor: 'line' },
  '& .line[data-focused=true], & .line[data-focused=true] .first': { bg: 'plumSoft' },
};
