import { Box } from '@chakra-ui/react';
import { Choice, Pick } from '../../shared/parts/parts';
import { plural } from '../../shared/parts/words';
import { foldedOf, type FlowState } from './flows';

interface Props {
  flows: FlowState[];
  /** The one that is drawn; '' for none, or for several. */
  shown: string;
  choose: (name: string) => void;
}

/** Which flow is drawn. Of many, those that something happened to are buttons, and all are in a list. */
export function FlowChoices({ flows, shown, choose }: Props) {
  const { buttons, listed } = foldedOf(flows, shown);
  return (
    <>
      {buttons.map((f) => (
        <Choice key={f.name} on={f.name === shown} onClick={() => choose(f.name)}>
          {f.name}
          {f.state && (
            <Box as="span" color={f.name === shown ? 'inherit' : f.tone}>
              {f.state}
            </Box>
          )}
        </Choice>
      ))}
      {listed && (
        <Pick
          label=""
          value={buttons.some((f) => f.name === shown) ? '' : shown}
          onChange={(name) => name && choose(name)}
          options={[
            ['', plural(flows.length, 'flow')],
            ...flows.map((f) => [f.name, `${f.name} ${f.state}`.trim()] as const),
          ]}
        />
      )}
    </>
  );
}
