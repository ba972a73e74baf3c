import { Box, Flex, chakra } from '@chakra-ui/react';
import { orderOf, type Plan } from '../../shared/draft/plan';
import { Line, Plain, Quiet } from '../../shared/parts/parts';

interface Props {
  plan: Plan;
  touched: string[];
  change: (p: Plan) => void;
  author: string;
  setAuthor: (name: string) => void;
}

export function StagePlan({ plan, touched, change, author, setAuthor }: Props) {
  const order = orderOf(plan, touched);
  const move = (i: number, by: number) => {
    const next = [...order];
    const [name] = next.splice(i, 1);
    if (name === undefined) return;
    next.splice(i + by, 0, name);
    change({ ...plan, order: next });
  };
  return (
    <Box mb={3}>
      <Field
        label="why"
        value={plan.message}
        placeholder="what this change is for"
        onChange={(message) => change({ ...plan, message })}
      />
      <Field label="who" value={author} placeholder="your name" onChange={setAuthor} />
      <chakra.label display="flex" gap={2} mt={1} title="The timeline shows that, and why.">
        <input
          type="checkbox"
          checked={plan.guard}
          onChange={(e) => change({ ...plan, guard: e.target.checked })}
        />
        take it back automatically if a check fails or a flow stays down
      </chakra.label>
      {touched.length > 1 && (
        <chakra.label display="flex" gap={2} mt={1}>
          <input
            type="checkbox"
            checked={plan.staged}
            onChange={(e) => change({ ...plan, staged: e.target.checked })}
          />
          one router after the other
        </chakra.label>
      )}
      {plan.staged && touched.length > 1 && (
        <Box mt={2} pl={2} borderLeft="2px solid" borderColor="line">
          <chakra.label display="flex" gap={2} alignItems="center" mb={1}>
            <Quiet>pause between them</Quiet>
            <chakra.input
              type="number"
              min={0}
              max={86400}
              value={plan.pause}
              aria-label="Pause in seconds"
              onChange={(e) => change({ ...plan, pause: Math.max(0, Number(e.target.value)) })}
              w="70px"
              h="24px"
              px={2}
              bg="raised"
              border="1px solid"
              borderColor="line"
              borderRadius="sm"
            />
            <Quiet>s, 0 until each has settled</Quiet>
          </chakra.label>
          <Box as="ol" listStyleType="none" maxH="150px" overflow="auto" aria-label="Order">
            {order.map((name, i) => (
              <Flex as="li" key={name} align="center" gap={2}>
                <Quiet w="18px">{i + 1}</Quiet>
                <Box flex={1}>
                  {name === 'shared' ? 'what they share: links, segments, key chains' : name}
                </Box>
                <Plain
                  size="xs"
                  h="20px"
                  disabled={i === 0}
                  onClick={() => move(i, -1)}
                  aria-label={`${name} earlier`}
                >
                  ↑
                </Plain>
                <Plain
                  size="xs"
                  h="20px"
                  disabled={i === order.length - 1}
                  onClick={() => move(i, 1)}
                  aria-label={`${name} later`}
                >
                  ↓
                </Plain>
              </Flex>
            ))}
          </Box>
        </Box>
      )}
    </Box>
  );
}

interface FieldProps {
  label: string;
  value: string;
  placeholder: string;
  onChange: (v: string) => void;
}

const Field = ({ label, value, placeholder, onChange }: FieldProps) => (
  <chakra.label display="flex" gap={2} alignItems="center" mb={1}>
    <Quiet w="28px">{label}</Quiet>
    <Line value={value} placeholder={placeholder} onChange={(e) => onChange(e.target.value)} h="26px" />
  </chakra.label>
);
