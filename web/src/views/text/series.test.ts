import { describe, expect, it } from 'vitest';
import { expandSeries } from './series';

const expand = (text: string, at = 0) => expandSeries(text.split('\n'), at);

describe('a series of blocks', () => {
  it('is written once and stands for each number', () => {
    expect(expand('port e[1..3] 10.0.[1..3].1/30')).toEqual({
      text: 'port e1 10.0.1.1/30\nport e2 10.0.2.1/30\nport e3 10.0.3.1/30',
      from: 0,
      to: 1,
      count: 3,
    });
  });
  it('takes what is indented below it along, and nothing else', () => {
    const text =
      'router hub\n  port e1\n    vlan [10..20/10] 10.0.[1..2].1/24\n      ospf area 0\n  port e2\n';
    expect(expand(text, 2)).toEqual({
      text: '    vlan 10 10.0.1.1/24\n      ospf area 0\n    vlan 20 10.0.2.1/24\n      ospf area 0',
      from: 2,
      to: 4,
      count: 2,
    });
  });
  it('counts down, and in steps', () => {
    expect(expand('link a.e[1..3] b.e[3..1]')).toMatchObject({
      text: 'link a.e1 b.e3\nlink a.e2 b.e2\nlink a.e3 b.e1',
    });
  });
  it('says which counters do not fit each other', () => {
    expect(expand('port e[1..3] 10.0.[1..2].1/30')).toEqual({
      problem: '[1..3] goes through 3 numbers and [1..2] through 2: make them equal',
    });
    expect(expand('port e[1..2000]')).toEqual({ problem: '[1..2000] would make 2000 blocks; at most 1000' });
  });
  it('is not what has no counter', () => {
    expect(expand('port e1 10.0.1.1/30')).toBeUndefined();
  });
});
