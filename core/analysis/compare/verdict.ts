import type { Field } from '../../field/field';
import { spacingOf } from '../../field/ground';
import { fitTo, type Fit } from './fit';
import { differenceBetween, type Difference } from './measure';
import { bySize, groundTurnedBack, layOn, type Orientation, type Placement } from './placement';
import { relationBetween, type Relation } from './relation';

/** What was found first between two grounds. */
export type FindingKind =
  'same' | 'turned' | 'tone-curve' | 'height-scale' | 'upside-down' | 'plan-shift' | 'cut' | 'height-shift' | 'part-missing' | 'close' | 'other-ground';

/** What would put it right, in words that the interface has a press for. */
export interface ComparisonMend {
  kind: 'flip-rows' | 'flip-columns' | 'turn' | 'shift' | 'stretch' | 'linearise' | 'move';
  title: string;
}

export interface ComparisonFinding {
  kind: FindingKind;
  sentence: string;
  mend?: ComparisonMend;
}

export interface FittedComparison {
  fit: Fit;
  relation: Relation;
  /** Laid as fitted, heights as they are. */
  laid: Difference;
  /** Laid as fitted, with the line or curve between the heights taken out: what is left. */
  left: number;
  findings: ComparisonFinding[];
}

/** B is taken for A when they follow each other as closely as this. */
const ALIKE = 0.93;
/** Shifts in plan of less than this part of a sample are none. */
const NO_SHIFT = 0.1;
/** A move leaves less than this share of what lies between them without it. */
const MOVED = 0.8;
/** Scales so near to one are one. */
const NO_SCALE = 0.002;
/** And lifts of so little of the range are none. */
const NO_LIFT = 5e-4;
/** A range of so few metres is none: what floats leave of a level plane. */
const LEVEL = 1e-6;
/** A share of A that B has no heights over which is worth a word. */
const MISSING = 0.01;

const TURNS: Record<Exclude<Orientation, 'none'>, { words: string; mend: ComparisonMend }> = {
  'flip-rows': { words: 'with its rows turned over, north for south', mend: { kind: 'flip-rows', title: 'Flip its rows' } },
  'flip-columns': { words: 'with its columns turned over, east for west', mend: { kind: 'flip-columns', title: 'Flip its columns' } },
  'turn-90': { words: 'turned by 90° clockwise', mend: { kind: 'turn', title: 'Turn it back by 90°' } },
  'turn-180': { words: 'turned by 180°', mend: { kind: 'turn', title: 'Turn it by 180°' } },
  'turn-270': { words: 'turned by 90° anticlockwise', mend: { kind: 'turn', title: 'Turn it back by 90°' } },
  transpose: { words: 'with rows and columns exchanged', mend: { kind: 'turn', title: 'Exchange rows and columns' } },
  'anti-transpose': { words: 'with rows and columns exchanged and turned by 180°', mend: { kind: 'turn', title: 'Exchange rows and columns, and turn it' } },
};

const metres = (v: number, of: number) => `${Math.abs(v).toFixed(Math.abs(v) >= 100 ? 1 : of > 0 && Math.abs(v) < 0.01 ? 4 : 2)} m`;

/** Finds how B lies to A, and says it in sentences, what matters most first. */
export async function compareFitted(a: Field, b: Field, options: { signal?: AbortSignal; metres?: boolean } = {}): Promise<FittedComparison> {
  let fit = await fitTo(a, b, options);
  let on = layOn(a.ground, b, snapped(fit, a, b));
  let relation = relationBetween(a, on);
  if (!fit.cut && (relation.curve || isMoved(fit))) {
    // A line through heights that went through a curve is moved by the curve, and ground that was worked on fits a little better
    // moved, too: where it explains little of what lies between them, nothing was moved.
    const { orientation } = fit.placement;
    const unmoved: Fit = {
      ...fit,
      placement: { ...fit.placement, ...bySize(a.ground, groundTurnedBack(b.ground, orientation)) },
      shift: { east: 0, south: 0 },
    };
    const there = layOn(a.ground, b, unmoved.placement);
    const straight = relationBetween(a, there);
    const asWell = relation.curve ? straight.leftOfCurve <= relation.leftOfCurve : relation.leftOfLine > MOVED * straight.leftOfLine;
    if (asWell) [fit, on, relation] = [unmoved, there, straight];
  }
  const laid = differenceBetween(a, on);
  const left = relation.curve ? relation.leftOfCurve : relation.leftOfLine;
  return { fit, relation, laid, left, findings: findingsOf(a, b, fit, relation, laid, left) };
}

const isMoved = ({ shift }: Fit) => Math.max(Math.abs(shift.east), Math.abs(shift.south)) >= NO_SHIFT;

/** A shift within what cannot be told from none is none: the same grid is then compared sample by sample. */
export function snapped({ placement, cut }: Fit, a: Field, b: Field): Placement {
  const crossed = /90|270|transpose/.test(placement.orientation);
  const size = crossed ? { ...b.ground, across: b.ground.down, down: b.ground.across, width: b.ground.depth, depth: b.ground.width } : b.ground;
  const base = cut ? { offsetX: Math.round(placement.offsetX), offsetY: Math.round(placement.offsetY) } : bySize(a.ground, size);
  const near = (v: number, to: number) => (Math.abs(v - to) < NO_SHIFT * 0.5 ? to : v);
  return { ...placement, offsetX: near(placement.offsetX, base.offsetX), offsetY: near(placement.offsetY, base.offsetY) };
}

/** What two grounds that are compared come to, and the unit that its figures are given in. */
interface Held {
  a: Field;
  b: Field;
  fit: Fit;
  relation: Relation;
  laid: Difference;
  /** Metres root mean square that no placement takes away. */
  left: number;
  range: number;
}

function findingsOf(a: Field, b: Field, fit: Fit, relation: Relation, laid: Difference, left: number): ComparisonFinding[] {
  const range = rangeOf(a);
  if (Math.min(range, rangeOf(b)) <= LEVEL) return [levelFinding(range <= LEVEL, rangeOf(b) <= LEVEL, laid)];
  if (Math.abs(fit.correlation) < ALIKE) {
    return [
      {
        kind: 'other-ground',
        sentence: `B is another ground. It lies ${metres(laid.mean, range)} ${laid.mean < 0 ? 'lower' : 'higher'} on the mean and up to ${metres(laid.maxAbs, range)} off; neither a turn, a flip, a shift nor a stretch brings it nearer than ${metres(left, range)} root mean square.`,
      },
    ];
  }
  const held: Held = { a, b, fit, relation, laid, left, range };
  // The line counts from A's zero; where only the level differs the mean says it better.
  const scaled = Math.abs(relation.scale - 1) > NO_SCALE && Math.abs(relation.scale - 1) * range > 3 * left;
  const lifted = !scaled && Math.abs(laid.mean) > Math.max(NO_LIFT * range, 0.2 * left);
  const lift = lifted ? `${metres(laid.mean, range)} ${laid.mean < 0 ? 'lower' : 'higher'}` : '';
  const found = [turnedFinding(held, lift), strengthFinding(held, scaled), placeFinding(held), liftFinding(held, lift)].filter((f) => f !== null);
  return [...found, ...restFinding(held, found.length === 0)];
}

function turnedFinding({ fit, relation }: Held, lift: string): ComparisonFinding | null {
  const { orientation } = fit.placement;
  if (orientation === 'none') return null;
  const { words, mend } = TURNS[orientation];
  return { kind: 'turned', sentence: `B is A ${words}${lift && !relation.curve ? ` and ${lift}` : ''}.`, mend };
}

/** Turned over, on a curve, or stretched. */
function strengthFinding({ fit, relation }: Held, scaled: boolean): ComparisonFinding | null {
  if (fit.scale < 0) {
    return {
      kind: 'upside-down',
      sentence: 'B’s heights are turned over: where A is high B is low.',
      mend: { kind: 'stretch', title: 'Turn its heights over' },
    };
  }
  if (relation.curve) return curveFinding(relation.curve);
  if (!scaled) return null;
  return {
    kind: 'height-scale',
    sentence: `The heights of B are A’s times ${relation.scale.toFixed(3)}${Math.abs(relation.scale - 0.5) < 0.01 ? ': half the strength, or a range that was read as half of what it is' : ': another range, or another strength'}.`,
    mend: { kind: 'stretch', title: 'Stretch it to A’s range' },
  };
}

/** A piece of it, moved, or with a part that is missing. */
function placeFinding({ a, b, fit, laid, range }: Held): ComparisonFinding | null {
  const { x, y } = spacingOf(a.ground);
  if (fit.cut && fit.overlap < 0.98) {
    const part = a.ground.across * a.ground.down > b.ground.across * b.ground.down;
    return {
      kind: 'cut',
      sentence: part
        ? `B is a piece of A: its corner lies ${(-fit.shift.east).toFixed(1)} samples east and ${(-fit.shift.south).toFixed(1)} south of A’s.`
        : `B reaches over A’s edge: its corner lies ${fit.shift.east.toFixed(1)} samples west and ${fit.shift.south.toFixed(1)} north of A’s.`,
      mend: { kind: 'move', title: 'Lay it there' },
    };
  }
  if (isMoved(fit)) {
    const way = [
      Math.abs(fit.shift.east) >= NO_SHIFT / 2
        ? `${Math.abs(fit.shift.east).toFixed(1)} samples (${metres(fit.shift.east * x, range)}) ${fit.shift.east > 0 ? 'east' : 'west'}`
        : '',
      Math.abs(fit.shift.south) >= NO_SHIFT / 2
        ? `${Math.abs(fit.shift.south).toFixed(1)} (${metres(fit.shift.south * y, range)}) ${fit.shift.south > 0 ? 'south' : 'north'}`
        : '',
    ].filter(Boolean);
    return { kind: 'plan-shift', sentence: `B lies ${way.join(' and ')} of A.`, mend: { kind: 'move', title: 'Move it back' } };
  }
  const missing = 1 - laid.share;
  return !fit.cut && missing > MISSING ? { kind: 'part-missing', sentence: `B has no heights over ${(100 * missing).toFixed(1)} % of A.` } : null;
}

function liftFinding({ fit, relation, laid, left, range }: Held, lift: string): ComparisonFinding | null {
  if (!lift || fit.placement.orientation !== 'none' || relation.curve) return null;
  return {
    kind: 'height-shift',
    // What is left may be more than the lift itself: then it is a mean, and no form.
    sentence: left < 0.5 * Math.abs(laid.mean) ? `B lies ${lift} throughout; its form is A’s.` : `B lies ${lift} on the mean.`,
    mend: { kind: 'shift', title: `Shift it by ${laid.mean < 0 ? '+' : '−'}${metres(laid.mean, range)}` },
  };
}

/** What is left when all that was found is mended; `plain`: nothing was. */
function restFinding({ laid, left, range }: Held, plain: boolean): ComparisonFinding[] {
  // Where nothing is to be mended, what counts is how they lie, which the numbers beside say too.
  const apart = plain ? laid.rmse : left;
  if (apart > 1e-5 * range) {
    const much = `${metres(apart, range)} root mean square (${((100 * apart) / range).toPrecision(2)} % of A’s range)`;
    return [{ kind: 'close', sentence: plain ? `B is A but for ${much}, up to ${metres(laid.maxAbs, range)}.` : `What is left between them then is ${much}.` }];
  }
  if (!plain) return [];
  return [{ kind: 'same', sentence: laid.maxAbs === 0 ? 'B is A, to the bit.' : `B is A: nowhere more than ${metres(laid.maxAbs, range)} off.` }];
}

/** Where one of them has no form there is nothing to turn, move or stretch: only how high it lies. */
function levelFinding(aLevel: boolean, bLevel: boolean, laid: Difference): ComparisonFinding {
  const apart = `${metres(laid.mean, 1)} ${laid.mean < 0 ? 'lower' : 'higher'}`;
  if (aLevel && bLevel) {
    if (laid.maxAbs <= LEVEL) return { kind: 'same', sentence: 'Both are level, at the same height: B is A.' };
    return {
      kind: 'height-shift',
      sentence: `Both are level; B lies ${apart}.`,
      mend: { kind: 'shift', title: `Shift it by ${laid.mean < 0 ? '+' : '−'}${metres(laid.mean, 1)}` },
    };
  }
  return {
    kind: 'other-ground',
    sentence: `${aLevel ? 'A' : 'B'} is level and ${aLevel ? 'B' : 'A'} is not: there is no form to lay one on the other by. B lies ${apart} on the mean and up to ${metres(laid.maxAbs, 1)} off.`,
  };
}

function curveFinding(curve: NonNullable<Relation['curve']>): ComparisonFinding {
  const mend: ComparisonMend = { kind: 'linearise', title: 'Remove the tone curve' };
  switch (curve.kind) {
    case 'srgb-encoded':
      return {
        kind: 'tone-curve',
        sentence: 'The heights of B went through a picture’s tone curve (sRGB): low ground is lifted, high ground pressed together.',
        mend,
      };
    case 'srgb-decoded':
      return {
        kind: 'tone-curve',
        sentence: 'The heights of B were taken for a picture’s and made linear: low ground is pressed together, high ground pulled apart.',
        mend,
      };
    case 'power':
      return {
        kind: 'tone-curve',
        sentence: `The heights of B went through a gamma: A’s, from its lowest to its highest, to the power of ${curve.power.toFixed(2)}.`,
        mend,
      };
    case 'other':
      return { kind: 'tone-curve', sentence: 'The heights of B went through a curve: they rise as A’s do, but not evenly.', mend };
  }
}

function rangeOf({ height, valid }: Field): number {
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < height.length; i++) {
    if (valid && !valid[i]) continue;
    if (height[i] < low) low = height[i];
    if (height[i] > high) high = height[i];
  }
  return Math.max(1e-9, high - low);
}
