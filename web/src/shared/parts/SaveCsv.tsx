import { useQueryClient, type QueryKey, type UseQueryOptions } from '@tanstack/react-query';
import { useState } from 'react';
import { csv, save } from './csv';
import { Plain, Quiet } from './parts';

interface Props<D, K extends QueryKey> {
  name: string;
  /** All that is to be in the file. */
  all: UseQueryOptions<D, Error, D, K>;
  rows: (d: D) => (string | number)[][];
  disabled?: boolean;
}

/** Asks for all rows of a list of which a part is shown, and saves them. */
export function SaveCsv<D, K extends QueryKey>({ name, all, rows, disabled = false }: Props<D, K>) {
  const client = useQueryClient();
  const [failed, setFailed] = useState('');
  const fetched = async () => {
    setFailed('');
    try {
      save(name, 'text/csv', csv(rows(await client.query(all))));
    } catch (e) {
      setFailed(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <>
      {failed && (
        <Quiet role="alert" color="brick">
          Not saved: {failed}
        </Quiet>
      )}
      <Plain size="xs" h="26px" disabled={disabled} onClick={() => void fetched()}>
        CSV
      </Plain>
    </>
  );
}
