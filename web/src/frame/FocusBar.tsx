import { Box, Flex, chakra } from '@chakra-ui/react';
import { useEffect, useRef, useState } from 'react';
import { Key } from '../shared/parts/parts';
import type { Names } from '../shared/focus/names';
import { completeTyped, isEdit, parseTyped } from '../shared/focus/parse';
import type { Suggestion } from '../shared/api/client';
import type { Focus } from '../shared/focus/focus';

interface Props {
  focus: Focus;
  names: Names;
  moment: string;
  set: (change: Partial<Focus>) => void;
  act: (action: string) => void;
  /** A question that was typed. */
  ask: (line: string) => void;
  /** Edits that were typed, or pasted; an error says which cannot be made. */
  edit: (lines: string[]) => Promise<unknown>;
  /** How an edit can go on. */
  complete: (line: string) => Promise<Suggestion[]>;
  input: React.RefObject<HTMLInputElement | null>;
}

/** Who, where to and when, to see and to type. */
export function FocusBar({ focus, names, moment, set, act, ask, edit, complete, input }: Props) {
  const [line, setLine] = useState('');
  const [error, setError] = useState('');
  const [pick, setPick] = useState(-1);
  const box = useRef<HTMLDivElement>(null);
  const [edits, setEdits] = useState<{ line: string; offers: Suggestion[] }>();
  const editing = isEdit(line, names);
  useEffect(() => {
    if (!editing) return;
    let late = false;
    const timer = setTimeout(() => {
      complete(line).then(
        (offers) => !late && setEdits({ line, offers: offers.slice(0, 12) }),
        () => undefined,
      );
    }, 40);
    return () => {
      late = true;
      clearTimeout(timer);
    };
  }, [line, editing, complete]);
  const helped: Suggestion[] = editing && edits?.line === line ? edits.offers : [];
  const offers = editing ? helped.map((o) => o.label) : completeTyped(line, names);

  // What was typed before, the newest last; at is where the arrows are in it.
  const [typed, setTyped] = useState<string[]>([]);
  const [at, setAt] = useState(0);
  const remember = (s: string) => {
    setTyped((was) => [...was.filter((x) => x !== s), s].slice(-50));
    setAt(0);
  };

  // The list begins where the input does, or further left if it would be too narrow there.
  const [under, setUnder] = useState(0);
  const place = () => {
    const from = box.current?.getBoundingClientRect();
    const to = input.current?.getBoundingClientRect();
    if (from && to) setUnder(Math.max(0, Math.min(to.left - from.left, from.width - 240)));
  };

  const take = (offer: string) => {
    const words = line.split(/\s+/);
    words[words.length - 1] = offer;
    setLine(words.join(' ') + ' ');
    setPick(-1);
    input.current?.focus();
  };
  const change = (lines: string[]) => {
    edit(lines).then(
      () => {
        setLine('');
        setError('');
      },
      (e: unknown) => setError(e instanceof Error ? e.message : 'It cannot be made.'),
    );
  };
  const enter = () => {
    const read = parseTyped(line, names);
    if (read.kind === 'error') {
      setError(read.message);
      return;
    }
    remember(line.trim());
    if (read.kind === 'edit') {
      change([read.line]);
      return;
    }
    if (read.kind === 'action') act(read.action);
    else if (read.kind === 'question') ask(read.line);
    else set(read.change);
    setLine('');
    input.current?.blur();
  };
  const recall = (by: number) => {
    const next = Math.max(0, Math.min(typed.length, at + by));
    setAt(next);
    setLine(next === 0 ? '' : (typed[typed.length - next] ?? ''));
    setPick(-1);
  };
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === 'Tab' && offers.length > 0 && !e.shiftKey) {
      e.preventDefault();
      take(offers[Math.max(0, pick)] ?? '');
    } else if (e.key === 'ArrowDown' && at > 0) {
      e.preventDefault();
      recall(-1);
    } else if (e.key === 'ArrowDown') {
      e.preventDefault();
      setPick(Math.min(offers.length - 1, pick + 1));
    } else if (e.key === 'ArrowUp' && pick < 0 && (line === '' || at > 0)) {
      e.preventDefault();
      recall(1);
    } else if (e.key === 'ArrowUp') {
      e.preventDefault();
      setPick(Math.max(-1, pick - 1));
    } else if (e.key === 'Enter') {
      if (pick >= 0) take(offers[pick] ?? '');
      else enter();
    } else if (e.key === 'Escape') {
      setLine('');
      setError('');
      input.current?.blur();
    }
  };
  return (
    <Box position="relative" flex={{ base: '1 1 100%', lg: 1 }} order={{ base: 9, lg: 0 }} minW={0} ref={box}>
      <Flex
        h="34px"
        bg="panel"
        border="1px solid"
        borderColor="line"
        borderRadius="md"
        align="center"
        overflow="hidden"
      >
        <Part
          label="who"
          value={focus.who || 'all devices'}
          on={focus.who !== ''}
          clear={() => set({ who: '' })}
        />
        <Part
          label="to"
          value={focus.to || 'everything'}
          on={focus.to !== ''}
          clear={() => set({ to: '' })}
          mono
        />
        <Part
          label="when"
          value={moment}
          on={focus.when !== 'now' || focus.since !== ''}
          clear={() => set({ when: 'now' })}
        />
        <chakra.input
          ref={input}
          aria-label="Where to look, what to do, to ask or to change"
          aria-expanded={offers.length > 0}
          aria-controls="focus-offers"
          aria-autocomplete="list"
          aria-activedescendant={pick < 0 ? undefined : `focus-offer-${pick}`}
          role="combobox"
          autoComplete="off"
          spellCheck={false}
          flex={1}
          minW="90px"
          px={3}
          h="full"
          bg="transparent"
          outline="none"
          fontFamily="mono"
          fontSize="12px"
          placeholder="press / to type"
          _placeholder={{ color: 'quiet', fontFamily: 'body' }}
          value={line}
          onChange={(e) => {
            place();
            setLine(e.target.value);
            setAt(0);
            setError('');
            setPick(-1);
          }}
          onKeyDown={onKey}
          onPaste={(e) => {
            // Several lines are several edits.
            const text = e.clipboardData.getData('text');
            if (!text.trim().includes('\n')) return;
            e.preventDefault();
            change(text.split('\n').filter((l) => l.trim() !== ''));
          }}
        />
      </Flex>
      {(offers.length > 0 || error) && (
        <Box
          position="absolute"
          top="38px"
          left={`${under}px`}
          right={0}
          minW="240px"
          bg="raised"
          border="1px solid"
          borderColor="line"
          borderRadius="md"
          shadow="md"
          zIndex={20}
          py={1}
        >
          {error && (
            <Box px={3} py={1} color="brick" role="alert">
              {error}
            </Box>
          )}
          <Box role="listbox" id="focus-offers" aria-label="Completions">
            {offers.map((o, i) => (
              <Box
                key={o}
                id={`focus-offer-${i}`}
                role="option"
                aria-selected={i === pick}
                px={3}
                py="3px"
                fontFamily="mono"
                fontSize="12px"
                cursor="pointer"
                bg={i === pick ? 'chosen' : undefined}
                _hover={{ bg: 'chosen' }}
                onMouseDown={(e) => {
                  e.preventDefault();
                  take(o);
                }}
              >
                {o}
                {helped[i]?.help && (
                  <Box as="span" color="quiet" fontFamily="body" ml={3}>
                    {helped[i].help}
                  </Box>
                )}
              </Box>
            ))}
          </Box>
          {offers.length > 0 && (
            <Box px={3} pt={1} color="quiet" fontSize="11px">
              <Key>Tab</Key> completes, <Key>Enter</Key> goes, <Key>↑</Key> brings back what was typed
            </Box>
          )}
        </Box>
      )}
    </Box>
  );
}

function Part({
  label,
  value,
  on,
  mono,
  clear,
}: {
  label: string;
  value: string;
  on: boolean;
  mono?: boolean;
  clear: () => void;
}) {
  return (
    <Flex
      align="center"
      gap={2}
      px={3}
      h="full"
      borderRight="1px solid"
      borderColor="line"
      maxW="280px"
      flexShrink={on ? 0 : 1}
      minW={0}
    >
      <Box color="quiet" fontSize="11px">
        {label}
      </Box>
      {on ? (
        <chakra.button
          onClick={clear}
          title={`${value} (click to clear)`}
          aria-label={`${label} ${value}, clear`}
          bg="plumSoft"
          color="plum"
          fontWeight="600"
          borderRadius="sm"
          px={2}
          py="1px"
          fontFamily={mono ? 'mono' : 'body'}
          fontSize={mono ? '12px' : '13px'}
          truncate
          maxW="220px"
        >
          {value}
        </chakra.button>
      ) : (
        <Box color="quiet" whiteSpace="nowrap" truncate>
          {value}
        </Box>
      )}
    </Flex>
  );
}
