import { useQuery } from '@tanstack/react-query';
import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { ask } from '../../shared/api/questions';
import { useFocus, type View } from '../../shared/focus/focus';
import { Choice, Empty, Quiet, Trouble, Working } from '../../shared/parts/parts';
import { Rows } from './Rows';
import { inFocus, sectionsFor, titles } from './rows';

/** What is different between two moments, as far as it belongs to a view; one line for the rest. */
export function ComparisonView({ view }: { view: View }) {
  const { id, focus, set } = useFocus();
  const data = useQuery(ask.comparison(id, focus.since, focus.when));
  const [kind, setKind] = useState('');
  const [chosen, setSection] = useState('');
  if (data.error) return <Trouble error={data.error} retry={() => void data.refetch()} />;
  if (!data.data)
    return (
      <Working
        what="comparing the two moments"
        query={data}
        of={ask.comparison(id, focus.since, focus.when).queryKey}
      />
    );
  const c = data.data;
  const sections = sectionsFor(c, view);
  const section = sections.find((s) => s.name === chosen) ?? sections.find((s) => s.total > 0) ?? sections[0];
  if (!section) return null;
  const rows = section.rows.filter((r) => inFocus(r, focus) && (kind === '' || r.kind === kind));
  const kinds = [...new Set(section.rows.map((r) => r.kind))];
  return (
    <Flex direction="column" h="full" p={4} gap={3} minH={0}>
      <Summary lines={c.summary} />
      <Flex gap={2} align="center" wrap="wrap">
        {sections.map((s) => (
          <Choice key={s.name} on={s.name === section.name} onClick={() => setSection(s.name)}>
            {titles[s.name]} {s.total}
          </Choice>
        ))}
        <Box w="1px" h="20px" bg="line" />
        {kinds.length > 1 &&
          ['', ...kinds].map((k) => (
            <Choice key={k} on={k === kind} onClick={() => setKind(k)}>
              {k || 'all'}
            </Choice>
          ))}
        <Box flex={1} />
        <Quiet data-testid="unchanged">
          {section.says}; {c.of - c.devices.length} of {c.of} devices unchanged
        </Quiet>
      </Flex>
      {rows.length === 0 ? (
        <Empty title={section.total === 0 ? 'Nothing is different here' : 'Nothing of that is in focus'}>
          {section.total === 0
            ? 'What other views compare may be different: the lines above say it in words.'
            : 'Press Esc to clear the focus.'}
        </Empty>
      ) : (
        <Rows
          rows={rows}
          label={`Differences: ${titles[section.name] ?? section.name}`}
          choose={(r) =>
            void set({
              who: r.device,
              ...(/^\d+\.\d+\.\d+\.\d+\/\d+$/.test(r.subject) ? { to: r.subject } : {}),
            })
          }
        />
      )}
      {section.total > section.rows.length && (
        <Quiet>and {section.total - section.rows.length} more that are not listed</Quiet>
      )}
    </Flex>
  );
}

/** A comparison in words, what matters first. */
export function Summary({ lines, most = 7 }: { lines: string[]; most?: number }) {
  const [all, setAll] = useState(false);
  if (lines.length === 0) return <Box fontWeight="600">Nothing is different.</Box>;
  const shown = all ? lines : lines.slice(0, most);
  return (
    <Box as="ul" listStyleType="none" data-testid="summary">
      {shown.map((l, i) => (
        <Box as="li" key={i} fontWeight={i === 0 ? 600 : 400}>
          {l}
        </Box>
      ))}
      {lines.length > shown.length && (
        <Box as="li">
          <Box asChild color="plum" textDecoration="underline">
            <button onClick={() => setAll(true)}>and {lines.length - shown.length} more lines</button>
          </Box>
        </Box>
      )}
    </Box>
  );
}
