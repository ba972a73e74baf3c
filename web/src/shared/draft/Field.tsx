import { Box, chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { useHands } from './drafting';

interface Props {
  /** What it is, for those who do not see it: "OSPF area of viaduct.e1". */
  label: string;
  value: string;
  /** The edit that a new value ends: "viaduct.e1 ospf area". */
  edit: string;
  /** The edit that is made when the field is emptied, if it can be: "remove viaduct.e1 ospf cost". */
  empty?: string;
}

/** A value of the text in a field: what is written over it goes into the draft. */
export function Field({ label, value, edit, empty }: Props) {
  const { edit: make, past } = useHands();
  const [typed, setTyped] = useState<string>();
  const [error, setError] = useState('');
  const write = () => {
    const v = typed?.trim();
    if (v === undefined || v === value) {
      setTyped(undefined);
      return;
    }
    const line = v === '' ? empty : `${edit} ${v}`;
    if (line === undefined) {
      setTyped(undefined);
      return;
    }
    make(line).then(
      () => setError(''),
      (e: unknown) => setError(e instanceof Error ? e.message : 'It cannot be written.'),
    );
  };
  return (
    <Box>
      <chakra.input
        aria-label={label}
        title={past ? 'Go back to now to change it.' : `${edit} ...`}
        value={typed ?? value}
        readOnly={past}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={write}
        onKeyDown={(e) => {
          if (e.key === 'Enter') write();
          if (e.key === 'Escape') {
            setTyped(undefined);
            setError('');
          }
        }}
        w="full"
        h="24px"
        px={1}
        fontFamily="mono"
        fontSize="12px"
        bg="panel"
        border="1px solid"
        borderColor={typed !== undefined && typed !== value ? 'plum' : 'line'}
        borderRadius="sm"
      />
      {error && (
        <Box color="brick" fontSize="11.5px" role="alert">
          {error}
        </Box>
      )}
    </Box>
  );
}
