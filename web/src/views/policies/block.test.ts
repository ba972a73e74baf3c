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
  test('replacing it leaves the rest as it is', () => {
    const b = findPolicy(text, 'two');
    if (!b) throw new Error('not found');
    expect(replacePolicy(text, b, 'policy two\n  otherwise reject\n')).toBe(
      text.replace('otherwise accept', 'otherwise reject'),
    );
  });
});
