import { chakra } from '@chakra-ui/react';
import { useState } from 'react';
import { focusOnce } from '../../shared/parts/focus';
import { type NamedMoment } from '../../shared/api/client';
import { useNameMoment } from '../../shared/api/orders';

/** Gives the moment in focus a name, or takes it away. */
export function NameMoment({ id, when, moments }: { id: string; when: string; moments: NamedMoment[] }) {
  const [name, setName] = useState<string>();
  const change = useNameMoment(id);
  if (moments.some((m) => m.name === when))
    return (
      <chakra.button textDecoration="underline" onClick={() => change.mutate({ name: when, at: undefined })}>
        Forget this name
      </chakra.button>
    );
  if (name === undefined)
    return (
      <chakra.button textDecoration="underline" onClick={() => setName('')}>
        Name this moment
      </chakra.button>
    );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate({ name: name.trim(), at: when }, { onSuccess: () => setName(undefined) });
      }}
    >
      <chakra.input
        ref={focusOnce}
        aria-label="Name of the moment"
        placeholder="calm, then Enter"
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && setName(undefined)}
        w="140px"
        h="20px"
        px={2}
        bg="raised"
        color="ink"
        border="1px solid"
        borderColor="line"
        borderRadius="sm"
      />
      {change.error && (
        <chakra.span color="brick" ml={2} role="alert">
          {change.error.message}
        </chakra.span>
      )}
    </form>
  );
}
