import { expect, it } from 'vitest';
import { duration } from './duration';

it.each([
  [0.2, '1 second'],
  [89, '89 seconds'],
  [90, '2 minutes'],
  [5400, '1.5 hours'],
  [130_000, '2 days'],
])('%s seconds are said as %s', (seconds, words) => expect(duration(seconds)).toBe(words));
