import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react';

/** Cream paper and deep ink, with the plum, sage and pale green of the flower; the dark theme is the same at night. */
const pair = (base: string, dark: string) => ({ value: { base, _dark: dark } });

const config = defineConfig({
  globalCss: {
    'html, body, #root': { height: '100%' },
    html: { bg: 'paper' },
    body: {
      bg: 'paper',
      color: 'ink',
      fontSize: '13px',
      lineHeight: '1.45',
      fontVariantNumeric: 'tabular-nums',
    },
    '*:focus-visible': { outline: '2px solid', outlineColor: 'plum', outlineOffset: '1px' },
    'h1, h2, h3': { fontWeight: '650' },
    '*, *::before, *::after': {
      '@media (prefers-reduced-motion: reduce)': {
        animation: 'none !important',
        transition: 'none !important',
        scrollBehavior: 'auto !important',
      },
    },
    // The map's texts keep their size when it is small: cards become names, then dots with names on hover.
    '.map-flow': {
      '--text': 'max(11px, calc(11px / var(--z, 1)))',
      '--name': 'max(13px, calc(12px / var(--z, 1)))',
    },
    '.map-flow .card-name': { fontSize: 'var(--name)' },
    '.map-flow .card-text, .map-flow .map-note': { fontSize: 'var(--text)' },
    '.map-flow .map-note': { maxWidth: 'calc(24 * var(--text))' },
    '.map-flow[data-detail=addresses] .card *': { lineHeight: '1.15 !important' },
    '.map-flow[data-detail=addresses] .card-fine': { display: 'none !important' },
    '.map-flow[data-detail=cards] .card-coarse': { visibility: 'hidden' },
    '.map-flow[data-detail=addresses] .card': {
      display: 'flex !important',
      flexDirection: 'column',
      justifyContent: 'center',
      padding: '0 4px !important',
      lineHeight: '1.15 !important',
    },
    '.map-flow[data-detail=names] .card-more, .map-flow[data-detail=dots] .card-more': {
      display: 'none !important',
    },
    '.map-flow[data-detail=names] .card': {
      display: 'flex !important',
      alignItems: 'center !important',
      justifyContent: 'center !important',
      columnGap: '0.4em',
      // No name is wider than its card.
      width: 'max-content !important',
      minWidth: '100%',
      position: 'relative',
      left: '50%',
      transform: 'translateX(-50%)',
      padding: '0 0.4em !important',
    },
    '.map-flow[data-detail=names] .card-name': { overflow: 'visible !important', lineHeight: '1 !important' },
    // A segment without its name is a small bar.
    '.map-flow[data-detail=names] .segment, .map-flow[data-detail=dots] .segment': {
      width: '36px !important',
      height: '8px !important',
      minWidth: 0,
      left: 0,
      transform: 'none',
      margin: '7px 20px !important',
    },
    '.map-flow[data-detail=dots] .card-name, .map-flow[data-detail=dots] .bays': {
      display: 'none !important',
    },
    '.map-flow[data-detail=dots] .react-flow__node:hover .card-name, .map-flow[data-detail=dots] .card-name[data-focused=true]':
      {
        display: 'block !important',
        position: 'absolute',
        bottom: '100%',
        left: '50%',
        transform: 'translateX(-50%)',
        padding: '0 0.4em',
        borderRadius: '0.3em',
        background: 'var(--chakra-colors-raised)',
        overflow: 'visible !important',
      },
    '.map-flow[data-detail=dots] .react-flow__node:hover': { zIndex: '10 !important' },
    // The dot to drag a link from is shown on the card that is pointed at.
    '.join-dot': { visibility: 'hidden' },
    '.react-flow__node:hover .join-dot, .react-flow__node:focus .join-dot, .join-dot.connectingfrom': {
      visibility: 'visible',
    },
  },
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Inter Variable', sans-serif" },
        heading: { value: "'Inter Variable', sans-serif" },
        mono: { value: "'JetBrains Mono Variable', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        paper: pair('#f8f4ea', '#1c171e'),
        panel: pair('#fdfbf5', '#241e27'),
        raised: pair('#ffffff', '#2c2530'),
        ink: pair('#241d26', '#ece4e6'),
        quiet: pair('#655b67', '#ab9fac'),
        line: pair('#e3dccb', '#3d3441'),
        plum: pair('#6d2f57', '#d59bc0'),
        plumSoft: pair('#efe3ea', '#46303f'),
        onPlum: pair('#ffffff', '#241e27'),
        leaf: pair('#466c35', '#9cc583'),
        leafSoft: pair('#e6ecd9', '#2c3a2a'),
        brick: pair('#a03a29', '#ec8c7a'),
        brickSoft: pair('#f8e2db', '#472823'),
        brickFaint: pair('#fcf2ea', '#2f2228'),
        ochre: pair('#86631a', '#dcb968'),
        ochreSoft: pair('#f3e8cd', '#40351f'),
        sage: pair('#e4e9d8', '#28312a'),
        mauve: pair('#efe4ed', '#352a38'),
        mist: pair('#dde5ea', '#28333b'),
        chosen: pair('#f1ebdc', '#322a35'),
      },
    },
  },
});

export const system = createSystem(defaultConfig, config);
