import type { ReactNode } from 'react';
import { Box } from '@chakra-ui/react';
import ReactMarkdown from 'react-markdown';
import remarkGfm from 'remark-gfm';
import { Link } from 'react-router';
import type { LabRow } from '../../shared/api/client';
import { pictureOf } from './pages';

/** A page of the documents. Its pictures are those of the built client, and the labs that it names can be opened. */
export function Markdown({ text, labs }: { text: string; labs: LabRow[] }) {
  const lab = (title: ReactNode) => labs.find((l) => l.lesson > 0 && l.title === title);
  return (
    <Box
      lineHeight="1.55"
      css={{
        '& h1': { fontSize: '22px', fontWeight: 700, marginBottom: '12px' },
        '& h2': { fontSize: '15px', fontWeight: 650, margin: '24px 0 8px' },
        '& p': { marginBottom: '12px', maxWidth: '760px' },
        '& ol': { listStyle: 'decimal', paddingLeft: '22px', marginBottom: '16px', maxWidth: '760px' },
        '& li': { marginBottom: '8px', paddingLeft: '4px' },
        '& li::marker': { color: 'var(--chakra-colors-quiet)' },
        '& code': {
          fontFamily: 'mono',
          fontSize: '12px',
          background: 'var(--chakra-colors-chosen)',
          borderRadius: '3px',
          padding: '1px 4px',
        },
        '& img': {
          maxWidth: '100%',
          maxHeight: '380px',
          border: '1px solid var(--chakra-colors-line)',
          borderRadius: '6px',
        },
        '& table': { borderCollapse: 'collapse', fontSize: '12px', width: '100%' },
        '& th': {
          textAlign: 'left',
          fontWeight: 500,
          color: 'var(--chakra-colors-quiet)',
          padding: '4px 8px',
        },
        '& td': {
          borderTop: '1px solid var(--chakra-colors-line)',
          padding: '5px 8px',
          verticalAlign: 'top',
          overflowWrap: 'anywhere',
        },
        '& a': { color: 'var(--chakra-colors-plum)', textDecoration: 'underline' },
      }}
    >
      <ReactMarkdown
        remarkPlugins={[remarkGfm]}
        urlTransform={pictureOf}
        components={{
          // A demo lab that is named is opened by its name.
          strong: ({ children }) => {
            const named = lab(children);
            return named ? (
              <strong>
                <Link to={`/lab/${named.id}/map`}>{children}</Link>
              </strong>
            ) : (
              <strong>{children}</strong>
            );
          },
        }}
      >
        {text}
      </ReactMarkdown>
    </Box>
  );
}
