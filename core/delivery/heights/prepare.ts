import { UplandError } from '../../errors';
import { grouped } from '../../grouped';
import { makeField, type Field } from '../../field/field';
import { statistics, type Statistics } from '../../field/statistics';
import { CODES, type SampleType, type WriteOptions } from '../../formats/format';
import type { Encoding } from './encode';
import type { Receiver } from '../../course/receiver';

/** What is chosen for the file of heights, beside the receiver. */
export interface HeightChoice {
  format: string;
  type: SampleType;
  /** Metres at the ends of the range; null: the ground's own, rounded outwards to whole metres. */
  range: { low: number; high: number } | null;
  /** Receivers that count from a zero code: the vertical scale; null: the smallest at which the ground fits. */
  scale: number | null;
  options?: WriteOptions;
  noData?: number | null;
}

/** Something that the other side types in. */
export interface Statement {
  label: string;
  value: string;
}

export interface Prepared {
  /** What is written: the ground, moved and rounded where the receiver asks for it. */
  field: Field;
  encoding: Encoding;
  /** Metres that the ground was moved by, up. */
  moved: number;
  /** Samples that the receiver's floor and ceiling cut off. */
  cut: number;
  /** Numbers that the receiver asks for, beside those of any file. */
  toTypeIn: Statement[];
  /** What it does to the ground, a sentence each. */
  words: string[];
}

const nice = (value: number, digits = 7) => String(Number(value.toPrecision(digits)));

/** The ground's own range, rounded outwards to whole metres. */
export const defaultRange = ({ lowest, highest }: Pick<Statistics, 'lowest' | 'highest'>) => {
  const low = Math.floor(lowest);
  return { low, high: Math.max(low + 1, Math.ceil(highest)) };
};

/**
 * The smallest vertical scale at which heights fit a receiver that counts from a zero code,
 * rounded up to six digits: metres a code = overAll × scale / steps.
 */
export function scaleToFit(
  rule: Extract<Receiver['heights'], { by: 'zero' }>,
  type: SampleType,
  { lowest, highest }: Pick<Statistics, 'lowest' | 'highest'>,
): number {
  const codes = CODES[type];
  if (!codes) throw new UplandError('type', 'A receiver that counts from a zero code takes whole numbers.');
  const above = highest > 0 ? highest / Math.max(1e-9, codes.max - rule.code) : 0;
  const below = lowest < 0 ? -lowest / Math.max(1e-9, rule.code - codes.min) : 0;
  const metresPerCode = Math.max(above, below, 1e-9);
  const scale = (metresPerCode * stepsOf(rule, codes)) / rule.overAll;
  // Six digits, the last one rounded up where that was down.
  const rounded = Number(scale.toPrecision(6));
  return rounded >= scale ? rounded : Number((rounded * 1.000005).toPrecision(6));
}

const stepsOf = (rule: Extract<Receiver['heights'], { by: 'zero' }>, codes: { bits: number }) => 2 ** codes.bits - (rule.steps === '2^b' ? 0 : 1);

/** Turns a ground and a receiver's rule into what is written and what is said about it. */
export function prepare(field: Field, receiver: Receiver, choice: HeightChoice, known: Statistics = statistics(field)): Prepared {
  const { heights } = receiver;
  const { format, type, options, noData } = choice;
  const codes = CODES[type];
  const base: Encoding = { format, type, options, noData };
  const as = (parts: Partial<Prepared> & { encoding: Encoding }): Prepared => ({ field, moved: 0, cut: 0, toTypeIn: [], words: [], ...parts });
  const range = choice.range ?? defaultRange(known);
  if (codes || heights.by === 'unit') {
    if (!(range.high > range.low))
      throw new UplandError('range', `The range runs from ${range.low} m to ${range.high} m. The upper end has to lie above the lower one.`, range);
  }
  switch (heights.by) {
    case 'range': {
      if (!codes || !heights.codes) return as({ encoding: { ...base, range: codes ? range : undefined } });
      const { low, high } = heights.codes;
      const perCode = (range.high - range.low) / (high - low);
      return as({
        encoding: { ...base, range: { low: range.low + (codes.min - low) * perCode, high: range.low + (codes.max - low) * perCode } },
        toTypeIn: [
          { label: `Height of code ${low}`, value: `${nice(range.low)} m` },
          { label: `Height of code ${high}`, value: `${nice(range.high)} m` },
        ],
      });
    }
    case 'metres':
      return as({
        encoding: codes ? { ...base, range: { low: codes.min, high: codes.max } } : base,
        words: codes ? ['Whole metres: heights are rounded, by half a metre at the most.'] : [],
      });
    case 'zero':
      return as(fromZero(heights, base, choice.scale, known));
    case 'unit': {
      const span = range.high - range.low;
      const toTypeIn = [
        { label: 'Strength', value: `${nice(span)} m` },
        { label: 'Base value (mid level)', value: `${nice(heights.zero)}, at ${nice(range.low + heights.zero * span)} m` },
        { label: 'Strength for a plane of width 1', value: nice(span / field.ground.width) },
      ];
      return as({ encoding: codes ? { ...base, range } : { ...base, unit: range }, toTypeIn });
    }
    case 'blocks':
      return blocks(field, heights, base, known, as);
    case 'print':
      throw new UplandError('format', 'A printed model is a mesh, and not a file of samples.');
  }
}

/** Codes that count from one for height 0, over a fixed span of metres times a scale. */
function fromZero(heights: Extract<Receiver['heights'], { by: 'zero' }>, base: Encoding, asked: number | null | undefined, known: Statistics) {
  const codes = CODES[base.type];
  if (!codes) throw new UplandError('type', 'A receiver that counts from a zero code takes whole numbers.');
  const scale = asked ?? scaleToFit(heights, base.type, known);
  const perCode = (heights.overAll * scale) / stepsOf(heights, codes);
  return {
    encoding: { ...base, range: { low: (codes.min - heights.code) * perCode, high: (codes.max - heights.code) * perCode } },
    toTypeIn: [
      { label: 'Vertical scale', value: nice(scale, 8) },
      {
        label: 'Metres over all codes at scale 1',
        value: `${nice(heights.overAll)} m, in ${heights.steps === '2^b' ? 2 ** codes.bits : 2 ** codes.bits - 1} steps`,
      },
      { label: 'Code of height 0', value: String(heights.code) },
      { label: 'Metres a code', value: `${nice(perCode)} m` },
    ],
  };
}

type BlocksRule = Extract<Receiver['heights'], { by: 'blocks' }>;

/** Heights in rows of blocks, from the lowest to the highest, before they are held to floor and ceiling. */
const rowsOf = ({ water, edge, shift = 0 }: BlocksRule, sea: number, { lowest, highest }: Pick<Statistics, 'lowest' | 'highest'>) => ({
  lowest: (lowest - sea) / edge + water + shift,
  highest: (highest - sea) / edge + water + shift,
});

/**
 * What can be done where land reaches beyond a block world: the least metres a block at which all of it fits, rounded
 * up to a tenth of one to ten; the rows to shift it by, where it is no higher than the world, else null; and shoulders.
 */
export function blockWaysOut(
  rule: BlocksRule,
  sea: number,
  known: Pick<Statistics, 'lowest' | 'highest'>,
): { edge: number; shift: number | null; shoulders: number } {
  const { floor, ceiling, water, shift = 0 } = rule;
  const [above, below] = [ceiling - water - shift, water + shift - floor];
  const least = Math.max(above > 0 ? (known.highest - sea) / above : Infinity, below > 0 ? (sea - known.lowest) / below : Infinity);
  const unit = least >= 10 ? 1 : least >= 1 ? 0.1 : 0.01;
  const edge = Number.isFinite(least) ? Number((Math.ceil(least / unit - 1e-9) * unit).toFixed(2)) : Infinity;
  const { lowest, highest } = rowsOf(rule, sea, known);
  const [low, high] = [Math.round(lowest), Math.round(highest)];
  const fits = high - low <= ceiling - floor;
  return { edge, shift: fits ? shift + (high > ceiling ? ceiling - high : low < floor ? floor - low : 0) : null, shoulders: 0.25 };
}

/** Presses what lies beyond `from` into `room`, so that `reach` beyond it ends at its end; it leaves `from` without a bend. */
const shoulder = (beyond: number, reach: number, room: number) => (reach * beyond) / (reach + (reach / room - 1) * beyond);

function blocks(
  field: Field,
  rule: BlocksRule,
  base: Encoding,
  known: Statistics,
  as: (parts: Partial<Prepared> & { encoding: Encoding }) => Prepared,
): Prepared {
  const { floor, ceiling, water, edge, shift = 0, shoulders = 0 } = rule;
  const codes = CODES[base.type];
  if (!codes) throw new UplandError('type', 'Blocks are whole numbers.');
  const rows = ceiling - floor;
  if (rows > codes.max - codes.min) throw new UplandError('blocks', `${rows + 1} rows of blocks need more codes than ${codes.bits} bits have. Choose 16 bits.`);
  const { ground, height, valid } = field;
  // In rows: the land moves so that the sea stands at the water's row.
  const moved = (water + shift) * edge - ground.sea;
  const reach = rowsOf(rule, ground.sea, known);
  const room = shoulders * rows;
  const [high, low] = [ceiling - room, floor + room];
  const [pressHigh, pressLow] = [room > 0 && reach.highest > ceiling, room > 0 && reach.lowest < floor];
  const out = new Float32Array(height.length);
  let [over, under, pressed] = [0, 0, 0];
  for (let i = 0; i < out.length; i++) {
    let at = (height[i] + ground.datum + moved) / edge;
    if (pressHigh && at > high) {
      at = high + shoulder(at - high, reach.highest - high, room);
      pressed++;
    } else if (pressLow && at < low) {
      at = low - shoulder(low - at, low - reach.lowest, room);
      pressed++;
    }
    const row = Math.round(at);
    if (row > ceiling) over++;
    else if (row < floor) under++;
    out[i] = Math.min(ceiling, Math.max(floor, row)) * edge;
  }
  const words = blockWords(rule, { moved, pressed, high: pressHigh ? high : null, low: pressLow ? low : null, over, under });
  return as({
    field: makeField({ ...ground, datum: 0, sea: water * edge }, out, valid),
    encoding: { ...base, range: { low: floor * edge, high: (floor + codes.max - codes.min) * edge } },
    moved,
    cut: over + under,
    words,
    toTypeIn: [
      { label: 'Row of code 0', value: String(floor) },
      { label: 'Rows a code', value: '1' },
      { label: 'Floor and ceiling', value: `${floor} to ${ceiling}` },
      { label: 'Water row', value: String(water) },
      { label: 'A block is', value: `${nice(edge)} m high` },
    ],
  });
}

/** What became of the land, a sentence each: how it moved, and how many samples were pressed together or cut off; `high` and `low`: from which rows on. */
function blockWords(
  { floor, ceiling, water, edge, shift = 0 }: BlocksRule,
  { moved, pressed, high, low, over, under }: { moved: number; pressed: number; high: number | null; low: number | null; over: number; under: number },
): string[] {
  const words = [
    moved === 0
      ? 'The land stays where it is.'
      : `The land moves by ${moved > 0 ? '+' : '−'}${nice(Math.abs(moved))} m, so that ${shift ? `its sea level comes to row ${water + shift}; the world’s water stands at row ${water}` : `the sea stands at row ${water}`}.`,
    `Every height is rounded to whole blocks of ${nice(edge)} m.`,
  ];
  const rows = [...(high === null ? [] : [`above row ${grouped(high)}`]), ...(low === null ? [] : [`under row ${grouped(low)}`])];
  if (pressed) words.push(`Shoulders: ${grouped(pressed)} samples ${rows.join(' and ')} are pressed together, so that none is cut off.`);
  if (over) words.push(`${grouped(over)} samples rise above the ceiling at row ${grouped(ceiling)} and are cut off there.`);
  if (under) words.push(`${grouped(under)} samples lie under the floor at row ${grouped(floor)} and are raised to it.`);
  return words;
}

/** What the ground's border leaves against country of one height around it. Metres. */
export interface Border {
  /** The highest step down from the border to the country, and the highest step up to it. */
  cliff: number;
  wall: number;
  /** Share of the border that lies more than `level` metres off the country. */
  off: number;
  /** Metres of open water that stand at the border over country that lies lower than the sea, or dry land that stands under it; 0: none. */
  water: number;
}

/** Holds the ground's border against the height of the country around it; both absolute. */
export function compareBorder({ ground, height }: Field, around: number, level = 1): Border {
  const { across, down, datum, sea } = ground;
  let [cliff, wall, off, count, water] = [0, 0, 0, 0, 0];
  const look = (i: number) => {
    const h = height[i] + datum;
    cliff = Math.max(cliff, h - around);
    wall = Math.max(wall, around - h);
    if (Math.abs(h - around) > level) off++;
    // The sea is everywhere: what lies under it on one side only has a wall of water.
    if (h < sea !== around < sea) water = Math.max(water, sea - Math.min(h, around));
    count++;
  };
  for (let column = 0; column < across; column++) {
    look(column);
    look((down - 1) * across + column);
  }
  for (let row = 1; row < down - 1; row++) {
    look(row * across);
    look(row * across + across - 1);
  }
  return { cliff, wall, off: count ? off / count : 0, water };
}

/** The border in words. */
export function describeBorder(border: Border, around: number): string[] {
  const size = (m: number) => `${nice(Math.round(m * 10) / 10)} m`;
  const words: string[] = [];
  if (border.cliff > 0.5) words.push(`Against country at ${size(around)} a cliff of up to ${size(border.cliff)} stands along the border.`);
  if (border.wall > 0.5) words.push(`The country at ${size(around)} stands up to ${size(border.wall)} above the border.`);
  if (border.water > 0) words.push(`Along a part of it water stands against lower country: a wall of water up to ${size(border.water)} high.`);
  if (words.length === 0) words.push(`The border meets country at ${size(around)}.`);
  return words;
}
