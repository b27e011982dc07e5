import { describe, expect, it } from 'vitest';
import { crewNumbers, crewsFrom } from './crews';

describe('crews of a day', () => {
  it('counts aircraft that share a crew once', () => {
    expect([...crewNumbers([['b', 'c']], ['a', 'b', 'c', 'd'])]).toEqual([
      ['a', 1],
      ['b', 2],
      ['c', 2],
      ['d', 3],
    ]);
    expect([...crewNumbers([], ['a', 'b']).values()]).toEqual([1, 2]);
  });

  it('takes no notice of a crew whose other aircraft is not in the day', () => {
    expect([...crewNumbers([['a', 'x']], ['a', 'b']).values()]).toEqual([1, 2]);
  });

  it('joins and parts crews, and keeps those of aircraft that are elsewhere', () => {
    const numbers = crewNumbers([], ['a', 'b', 'c']);
    expect(crewsFrom(new Map(numbers).set('b', 1), [])).toEqual([['a', 'b']]);
    expect(crewsFrom(crewNumbers([['a', 'b']], ['a', 'b']).set('b', 2), [['a', 'b']])).toEqual([]);
    expect(crewsFrom(numbers, [['x', 'y']])).toEqual([['x', 'y']]);
  });
});
