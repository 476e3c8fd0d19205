import { describe, expect, it } from 'vitest';
import { FLOW_BORDER } from './flow';
import { conveyTill, type Conveyed } from './ice-till';
import { rungOf } from './ladder';

const [ACROSS, DOWN] = [31, 41];
const grid = rungOf({ across: ACROSS, down: DOWN, point: true, spacingX: 1, spacingY: 1 }, FLOW_BORDER);
const size = grid.stride * (DOWN + 2);
const at = (x: number, row: number) => (row + 1) * grid.stride + 1 + x;

/** A value at every sample of the grid, 0 about it. */
const over = (value: (x: number, row: number) => number): Float32Array => {
  const out = new Float32Array(size);
  for (let row = 0; row < DOWN; row++) for (let x = 0; x < ACROSS; x++) out[at(x, row)] = value(x, row);
  return out;
};
const sumOf = (values: ArrayLike<number>) => Array.from(values).reduce((sum, v) => sum + v, 0);

/** A tongue of ice five samples wide that flows down the rows from row 5 and ends at row 30. */
const tongue = (worn: (x: number, row: number) => number = () => 1): Conveyed => {
  const lies = (x: number, row: number) => Math.abs(x - 15) <= 2 && row >= 5 && row <= 30;
  return {
    surface: over((_, row) => 1_000 - 5 * row),
    ice: over((x, row) => (lies(x, row) ? 50 : 0)),
    worn: over((x, row) => (lies(x, row) ? worn(x, row) : 0)),
    till: new Float32Array(size),
  };
};
const faces = () => ({ east: over(() => 1), south: over(() => 1) });
const never = () => 0;
const rowOf = (p: number) => Math.floor(p / grid.stride) - 1;

describe('the till that ice carries', () => {
  it('lies before the snout where none of the ice melts on the way', () => {
    const ground = tongue();
    const share = conveyTill(grid, ground, faces(), never, 1, 1);
    let [sum, centre] = [0, 0];
    ground.till.forEach((depth, p) => {
      sum += depth;
      centre += depth * rowOf(p);
    });
    expect(centre / sum).toBeCloseTo(31, 1);
    // Spread by 1 2 1 five times, none lies further than five samples from there.
    ground.till.forEach((depth, p) => depth > 0 && expect(Math.abs(rowOf(p) - 31)).toBeLessThanOrEqual(5));
    expect(sum).toBeCloseTo(share, 5);
  });

  it('lies all along the tongue where it melts all along it, more of it further down', () => {
    const ground = tongue();
    conveyTill(grid, ground, faces(), () => 0.2, 1, 1);
    const rows = Array.from({ length: DOWN }, (_, row) => sumOf(ground.till.subarray(at(0, row), at(ACROSS, row))));
    expect(rows[12]).toBeGreaterThan(0);
    expect(rows[20]).toBeGreaterThan(rows[12]);
    expect(rows[28]).toBeGreaterThan(rows[20]);
  });

  it('is never more than what was worn off, and adds to what lies there, by its amount', () => {
    for (const melted of [0, 0.01, 0.5, 40]) {
      const [once, twice] = [tongue(), tongue()];
      const share = conveyTill(grid, once, faces(), () => melted, 0.25, 1);
      expect(share).toBeGreaterThan(0);
      expect(share).toBeLessThanOrEqual(1);
      expect(sumOf(once.till)).toBeCloseTo(0.25 * share, 5);
      for (let k = 0; k < 2; k++) conveyTill(grid, twice, faces(), () => melted, 0.25, 1);
      expect(sumOf(twice.till)).toBeCloseTo(2 * sumOf(once.till), 5);
    }
  });

  it('knows no measure of what was worn: ten times as much lies in the same places', () => {
    const [one, ten] = [tongue(), tongue(() => 10)];
    conveyTill(grid, one, faces(), () => 0.1, 1, 1);
    conveyTill(grid, ten, faces(), () => 0.1, 1, 1);
    one.till.forEach((depth, p) => expect(ten.till[p]).toBeCloseTo(depth, 6));
  });

  it('goes to either side alike', () => {
    const ground = tongue();
    conveyTill(grid, ground, faces(), () => 0.1, 1, 1);
    for (let row = 0; row < DOWN; row++) for (let x = 0; x < 15; x++) expect(ground.till[at(x, row)]).toBeCloseTo(ground.till[at(30 - x, row)], 6);
  });

  it('comes from above: what is worn off the last rows alone lies about the snout, whatever melts', () => {
    const ground = tongue((_, row) => (row >= 28 ? 1 : 0));
    conveyTill(grid, ground, faces(), () => 0.2, 1, 1);
    ground.till.forEach((depth, p) => depth > 0 && expect(rowOf(p)).toBeGreaterThanOrEqual(28 - 5));
    expect(sumOf(ground.till)).toBeGreaterThan(0.3);
  });

  it('goes over the edge near the rim, where nothing melts away', () => {
    const whole = () => ({ ...tongue(), ice: over(() => 50), worn: over(() => 1) });
    const [open, narrow] = [whole(), whole()];
    // Its margin is all of the ground: nothing may come to lie.
    expect(conveyTill(grid, open, faces(), () => 0.2, 1, 40)).toBe(0);
    expect(sumOf(open.till)).toBe(0);
    expect(conveyTill(grid, narrow, faces(), () => 0.2, 1, 2)).toBeGreaterThan(0.1);
  });

  it('stays nowhere without ice, and in a hollow of its surface goes with the water', () => {
    const bare = { ...tongue(), ice: over(() => 0) };
    expect(conveyTill(grid, bare, faces(), () => 0.2, 1, 1)).toBe(0);
    const level = { ...tongue(), surface: over(() => 500) };
    expect(conveyTill(grid, level, faces(), never, 1, 1)).toBe(0);
    expect(sumOf(level.till)).toBe(0);
  });
});
