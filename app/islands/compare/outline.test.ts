import { describe, expect, it } from 'vitest';
import { outlineOf } from './outline';

// 3 across, 2 down: the north-east corner is highest.
const height = Float32Array.of(1, 2, 9, 4, 5, 3);

describe('an outline against the sky', () => {
  it('has the highest of every line of sight, left to right as it is seen', () => {
    expect([...outlineOf(height, 3, 2, 'south')]).toEqual([4, 5, 9]);
    // From the north the east lies at the left hand.
    expect([...outlineOf(height, 3, 2, 'north')]).toEqual([9, 5, 4]);
    // From the west, looking east, the north lies at the left hand.
    expect([...outlineOf(height, 3, 2, 'west')]).toEqual([9, 5]);
    expect([...outlineOf(height, 3, 2, 'east')]).toEqual([5, 9]);
  });
});
