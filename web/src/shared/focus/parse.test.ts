import { describe, expect, test } from 'vitest';
import { forms } from '../testing/actions';
import { readFocus, writeFocus } from './focus';
import type { Names } from './names';
import { completeTyped, parseTyped } from './parse';

const names: Names = {
  devices: ['viaduct', 'summit'],
  ports: ['viaduct.e1', 'summit.e1'],
  flows: ['tickets'],
  segments: ['yard'],
  groups: ['north duct'],
  prefixes: ['10.20.2.0/24'],
  instances: [],
  sessions: ['viaduct/192.0.2.2', 'summit/10.255.0.1'],
  actions: 2,
  moments: ['calm'],
  forms,
};

describe('the focus bar', () => {
  test('takes who, where to and when in any order', () => {
    expect(parseTyped('before-2 viaduct 10.20.2.0/24', names)).toEqual({
      kind: 'focus',
      change: { who: 'viaduct', to: '10.20.2.0/24', when: 'before-2', since: '' },
    });
    expect(parseTyped('tickets 12.5s', names)).toEqual({
      kind: 'focus',
      change: { to: 'flow tickets', when: '12.5', since: '' },
    });
    expect(parseTyped('all everything now', names)).toEqual({
      kind: 'focus',
      change: { who: '', to: '', when: 'now', since: '' },
    });
    expect(parseTyped('  ', names)).toEqual({
      kind: 'focus',
      change: { who: '', to: '', when: 'now' },
    });
  });
  test('takes actions', () => {
    expect(parseTyped('silence viaduct.e1 out', names)).toEqual({
      kind: 'action',
      action: 'silence viaduct.e1 out',
    });
  });
  test('restarts a process, completing word by word', () => {
    expect(parseTyped('restart ospf on summit', names).kind).toBe('action');
    expect(completeTyped('restart o', names)).toEqual(['ospf']);
    expect(completeTyped('restart ospf o', names)).toEqual(['on']);
    expect(completeTyped('restart ospf on su', names)).toEqual(['summit']);
    expect(completeTyped('join viaduct.e1 ya', names)).toEqual(['yard']);
    expect(completeTyped('fail "', names)).toEqual(['"north duct"']);
    expect(parseTyped('fail "north duct"', names).kind).toBe('action');
    expect(completeTyped('mend "no', names)).toEqual(['"north duct"']);
    expect(parseTyped('part viaduct.e1', names).kind).toBe('action');
  });
  test('acts on a session, completing peer and router', () => {
    expect(parseTyped('reset 192.0.2.2 on viaduct', names).kind).toBe('action');
    expect(completeTyped('reset 19', names)).toEqual(['192.0.2.2']);
    expect(completeTyped('resend f', names)).toEqual(['from']);
    expect(completeTyped('resend from 10', names)).toEqual(['10.255.0.1']);
    expect(completeTyped('resend from 10.255.0.1 o', names)).toEqual(['on']);
    expect(completeTyped('disable 192.0.2.2 on v', names)).toEqual(['viaduct']);
    expect(completeTyped('reset all on s', names)).toEqual(['summit']);
    expect(completeTyped('restart b', names)).toEqual(['bgp']);
    expect(parseTyped('viaduct/192.0.2.2', names)).toEqual({
      kind: 'focus',
      change: { who: 'viaduct/192.0.2.2' },
    });
  });
  test('says what it does not know', () => {
    expect(parseTyped('vaduct', names)).toEqual({
      kind: 'error',
      message: 'nothing here is called "vaduct"; did you mean viaduct?',
    });
  });
  test('completes names, moments and the ports of actions', () => {
    expect(completeTyped('via', names)).toEqual(['viaduct', 'viaduct.e1', 'viaduct/192.0.2.2']);
    expect(completeTyped('viaduct bef', names)).toEqual(['before-1', 'before-2']);
    expect(completeTyped('cut s', names)).toEqual(['summit.e1']);
    expect(completeTyped('silence viaduct.e1 o', names)).toEqual(['out']);
    expect(completeTyped('cut viaduct.e1 o', names)).toEqual([]);
    expect(completeTyped('disable v', names)).toEqual(['viaduct', 'viaduct.e1']);
    expect(completeTyped('sett', names)).toEqual(['settle']);
    expect(parseTyped('settle', names).kind).toBe('action');
    expect(completeTyped('10.', names)).toEqual(['10.20.2.0/24']);
    expect(completeTyped('viaduct ', names)).toEqual([]);
  });
});

test('questions and edits are told from where to look', () => {
  const read = (line: string) => parseTyped(line, names);
  expect(read('ping viaduct summit')).toEqual({ kind: 'question', line: 'ping viaduct summit' });
  expect(read('why viaduct')).toEqual({ kind: 'question', line: 'why viaduct' });
  expect(read('viaduct.e1 ospf cost 40')).toEqual({ kind: 'edit', line: 'viaduct.e1 ospf cost 40' });
  expect(read('viaduct, summit ospf disabled').kind).toBe('edit');
  expect(read('viaduct/192.0.2.2 client').kind).toBe('edit');
  expect(read('connect viaduct summit').kind).toBe('edit');
  expect(read('new router').kind).toBe('edit');
  expect(read('viaduct 10.20.2.0/24').kind).toBe('focus');
  expect(read('cut viaduct.e1').kind).toBe('action');
  expect(read('announce 10.0.0.0/8')).toEqual({
    kind: 'error',
    message: 'nothing here is called "announce"',
  });
});

test('two moments are a comparison; another moment alone ends it', () => {
  const typed = (line: string) => parseTyped(line, names);
  expect(typed('before-2..after-2 viaduct')).toEqual({
    kind: 'focus',
    change: { who: 'viaduct', since: 'before-2', when: 'after-2' },
  });
  expect(typed('calm..')).toEqual({ kind: 'focus', change: { since: 'calm', when: 'now' } });
  expect(typed('calm')).toEqual({ kind: 'focus', change: { when: 'calm', since: '' } });
  expect(typed('1.5s..2s')).toEqual({ kind: 'focus', change: { since: '1.5', when: '2' } });
  expect(typed('storm..now')).toEqual({
    kind: 'error',
    message: 'nothing here is called "storm..now"',
  });
  expect(completeTyped('calm..be', names)).toEqual(['calm..before-1', 'calm..before-2']);
  const f = { who: '', to: '', when: 'now', since: 'calm' };
  expect(writeFocus(f)).toBe('?when=calm..now');
  expect(readFocus(new URLSearchParams(writeFocus(f)))).toEqual(f);
});

test('the focus survives the address', () => {
  const f = { who: 'viaduct.e1', to: 'flow tickets', when: '12.5', since: '' };
  expect(readFocus(new URLSearchParams(writeFocus(f)))).toEqual(f);
  expect(writeFocus({ who: '', to: '', when: 'now', since: '' })).toBe('');
});
