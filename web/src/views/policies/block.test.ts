import { describe, expect, test } from 'vitest';
import { findPolicy, replacePolicy } from './block';

const text = `lab "T"
policy one
  statement a
    accept

# between
policy two
  otherwise accept
host x 10.0.0.1/24`;

describe('a policy in the text', () => {
  test('its lines, without what stands behind them', () => {
    expect(findPolicy(text, 'one')).toEqual({
      text: 'policy one\n  statement a\n    accept',
      from: 1,
      to: 4,
    });
    expect(findPolicy(text, 'two')?.text).toBe('policy two\n  otherwise accept');
    expect(findPolicy(text, 'on')).toBeUndefined();
  });
  test('a router has its own, or a template that it takes', () => {
    const own = `template station
  policy two
    otherwise reject
router mill
  policy one
    statement b
      reject

  bgp as 64500
router millpond
  port e1
${text}`;
    expect(findPolicy(own, 'one', 'mill')?.text).toBe('  policy one\n    statement b\n      reject');
    expect(findPolicy(own, 'two', 'mill')?.text).toBe('  policy two\n    otherwise reject');
    expect(findPolicy(own, 'one', 'millpond')).toBeUndefined();
    expect(findPolicy(own, 'one')?.text).toBe('policy one\n  statement a\n    accept');
  });
  test('replacing it leaves the rest as it is', () => {
    const b = findPolicy(text, 'two');
    if (!b) throw new Error('not found');
    expect(replacePolicy(text, b, 'policy two\n  otherwise reject\n')).toBe(
      text.replace('otherwise accept', 'otherwise reject'),
    );
  });
});
