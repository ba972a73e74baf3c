import { Box, Button, Flex, Spinner, Text, chakra, type BoxProps, type ButtonProps } from '@chakra-ui/react';
import { useQueryClient, type QueryKey } from '@tanstack/react-query';
import type React from 'react';
import type { ReactNode } from 'react';
import { ApiError } from '../api/client';

/** Addresses, prefixes and identifiers: what is read letter by letter. */
export const Mono = ({ children, ...rest }: BoxProps) => (
  <Box as="span" fontFamily="mono" fontSize="12px" {...rest}>
    {children}
  </Box>
);

export const Quiet = ({ children, ...rest }: BoxProps) => (
  <Box as="span" color="quiet" {...rest}>
    {children}
  </Box>
);

/** An error in the place where its content would have been. */
export function Trouble({ error, retry }: { error: unknown; retry?: () => void }) {
  const message = error instanceof Error ? error.message : 'Something went wrong.';
  const details = error instanceof ApiError ? error.details : [];
  return (
    <Box
      role="alert"
      bg="brickSoft"
      borderLeft="3px solid"
      borderColor="brick"
      px={4}
      py={3}
      my={2}
      borderRadius="md"
    >
      <Text color="brick" fontWeight="600">
        {message}
      </Text>
      {details.map((d, i) => (
        <Text key={i} fontSize="12px">
          {d.message}
        </Text>
      ))}
      {retry && (
        <Plain mt={2} onClick={retry}>
          Try again
        </Plain>
      )}
    </Box>
  );
}

export const Waiting = ({ what }: { what: string }) => (
  <Flex align="center" gap={2} color="quiet" p={4}>
    <Spinner size="sm" color="plum" /> {what}
  </Flex>
);

/** A question that takes its time: it can be stopped, and asked again. */
export function Working({ what, query, of }: { what: string; query: Asked; of: QueryKey }) {
  const client = useQueryClient();
  return query.fetchStatus === 'idle' ? (
    <Flex align="center" gap={3} color="quiet" p={4}>
      Stopped.
      <Plain onClick={() => void query.refetch()}>Ask again</Plain>
    </Flex>
  ) : (
    <Flex align="center" gap={2} color="quiet" p={4}>
      <Spinner size="sm" color="plum" /> {what}
      <Plain ml={2} onClick={() => void client.cancelQueries({ queryKey: of })}>
        Stop
      </Plain>
    </Flex>
  );
}

type Asked = { fetchStatus: string; refetch: () => Promise<unknown> };

/** The one main action of a place. */
export const Main = (props: ButtonProps) => (
  <Button
    size="sm"
    h="32px"
    fontSize="13px"
    bg="plum"
    color="onPlum"
    fontWeight="600"
    _hover={{ opacity: 0.9 }}
    {...props}
  />
);

export const Plain = (props: ButtonProps) => (
  <Button
    size="sm"
    h="32px"
    fontSize="13px"
    variant="outline"
    bg="panel"
    color="ink"
    borderColor="line"
    fontWeight="500"
    _hover={{ bg: 'chosen' }}
    {...props}
  />
);

export const Key = ({ children }: { children: ReactNode }) => (
  <Box
    as="kbd"
    fontFamily="mono"
    fontSize="11px"
    color="quiet"
    border="1px solid"
    borderColor="line"
    borderRadius="sm"
    px="4px"
  >
    {children}
  </Box>
);

/** One of several ways to see a table; pressed or not. */
export function Choice({ on, children, ...rest }: ButtonProps & { on: boolean }) {
  return (
    <Button
      size="xs"
      h="26px"
      px={3}
      borderRadius="full"
      aria-pressed={on}
      bg={on ? 'ink' : 'panel'}
      color={on ? 'paper' : 'ink'}
      border="1px solid"
      borderColor={on ? 'ink' : 'line'}
      fontWeight="500"
      {...rest}
    >
      {children}
    </Button>
  );
}

/** A number that counts, with what it counts. */
export const Count = ({ n, what, tone = 'ink' }: { n: number; what: string; tone?: string }) => (
  <Flex align="baseline" gap={2}>
    <Box fontSize="20px" fontWeight="700" color={tone}>
      {n}
    </Box>
    <Box color={tone === 'ink' ? 'quiet' : tone}>{what}</Box>
  </Flex>
);

export const Empty = ({ title, children }: { title: string; children?: ReactNode }) => (
  <Box p={8} maxW="520px">
    <Box fontSize="15px" fontWeight="650" mb={1}>
      {title}
    </Box>
    <Box color="quiet">{children}</Box>
  </Box>
);

interface PickProps {
  label: string;
  value: string;
  onChange: (v: string) => void;
  options: (readonly [string, string])[];
}

/** One of several, from a list that opens. */
export const Pick = ({ label, value, onChange, options }: PickProps) => (
  <chakra.label display="flex" alignItems="center" gap={2} color="quiet" fontSize="12px">
    {label}
    <chakra.select
      value={value}
      onChange={(e) => onChange(e.target.value)}
      bg="panel"
      color="ink"
      fontSize="13px"
      border="1px solid"
      borderColor="line"
      borderRadius="md"
      h="28px"
      px={2}
      maxW="320px"
    >
      {options.map(([v, words]) => (
        <option key={v} value={v}>
          {words}
        </option>
      ))}
    </chakra.select>
  </chakra.label>
);

/** A line to write in. */
export const Line = (props: React.ComponentProps<typeof chakra.input>) => (
  <chakra.input
    flex={1}
    minW={0}
    h="28px"
    px={2}
    bg="raised"
    border="1px solid"
    borderColor="line"
    borderRadius="sm"
    _placeholder={{ color: 'quiet' }}
    {...props}
  />
);

/** A panel beside the view, of things that stay while views change. */
export const Aside = ({ label, wide, ...rest }: BoxProps & { label: string; wide: number }) => (
  <Box
    as="aside"
    // What is left of the window beside the views and 900 px of the view itself. In a narrow window it lies over the view.
    w={`clamp(240px, calc(100vw - 1032px), ${wide}px)`}
    position={{ base: 'absolute', lg: 'static' }}
    right={0}
    top={0}
    bottom={0}
    zIndex={{ base: 20, lg: 'auto' }}
    shadow={{ base: 'lg', lg: 'none' }}
    flexShrink={0}
    bg="panel"
    borderLeft="1px solid"
    borderColor="line"
    overflow="auto"
    p={4}
    aria-label={label}
    tabIndex={0}
    {...rest}
  />
);
