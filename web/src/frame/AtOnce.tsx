import { chakra } from '@chakra-ui/react';
import { useDrafting } from '../shared/draft/drafting';

/** Whether each gesture is applied at once. */
export function AtOnce() {
  const { atOnce, setAtOnce } = useDrafting();
  return (
    <chakra.label
      color="quiet"
      fontSize="11px"
      display="flex"
      gap={1}
      whiteSpace="nowrap"
      pb={1}
      title="On: each gesture is applied at once, and Undo takes it back. Off: gestures write a draft."
    >
      <input type="checkbox" checked={atOnce} onChange={(e) => setAtOnce(e.target.checked)} />
      Apply as you go
    </chakra.label>
  );
}
