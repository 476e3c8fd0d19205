import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../pool';
import { drainageProgram, type Drainage } from './drainage';

const kernels = inlineKernels();

/** Numbers from 0 to 1 that come again in every run. */
function randomFrom(seed: number): () => number {
  let state = seed;
  return () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
}

type Ground = (x: number, y: number) => number;

/** A slope towards the south-west on which hollows of several depths lie, some within one another. */
function hollowed(seed: number, across: number, down: number, count: number): Ground {
  const random = randomFrom(seed);
  const pits = Array.from({ length: count }, () => ({ x: random() * across, y: random() * down, wide: 2 + 14 * random() ** 2, deep: 12 * random() }));
  return (x, y) => 0.31 * x - 0.17 * y + pits.reduce((sum, pit) => sum - pit.deep * Math.max(0, 1 - ((x - pit.x) ** 2 + (y - pit.y) ** 2) / pit.wide ** 2), 0);
}

/** By definition: every sample at the lowest of the highest places on its ways out; rounds until nothing changes. */
function filledByDefinition(height: Float32Array, across: number, down: number, isBase: (i: number) => boolean): Float32Array {
  const filled = Float32Array.from(height, (h, i) => (isBase(i) ? h : Infinity));
  for (let changed = true, round = 0; changed; round++) {
    changed = false;
    for (let k = 0; k < filled.length; k++) {
      const i = round % 2 === 0 ? k : filled.length - 1 - k;
      if (isBase(i)) continue;
      const [x, y] = [i % across, Math.floor(i / across)];
      let least = Infinity;
      for (let v = Math.max(0, y - 1); v <= Math.min(down - 1, y + 1); v++)
        for (let u = Math.max(0, x - 1); u <= Math.min(across - 1, x + 1); u++) if (u !== x || v !== y) least = Math.min(least, filled[v * across + u]);
      const level = Math.max(height[i], least);
      if (level < filled[i]) {
        filled[i] = level;
        changed = true;
      }
    }
  }
  return filled;
}

/** That every sample drains to a base, never upwards, over neighbours, and comes after those that drain to it. */
function expectToDrain({ filled, receiver, order }: Drainage, across: number, isBase: (i: number) => boolean): void {
  const place = new Int32Array(order.length);
  order.forEach((i, k) => (place[i] = k));
  let wrong = 0;
  receiver.forEach((r, i) => {
    if (isBase(i)) wrong += r === i ? 0 : 1;
    else if (r === i || filled[r] > filled[i] || place[r] <= place[i]) wrong++;
    else if (Math.max(Math.abs((r % across) - (i % across)), Math.abs(Math.floor(r / across) - Math.floor(i / across))) !== 1) wrong++;
  });
  expect(wrong).toBe(0);
}

async function drained(ground: Ground, across: number, down: number, sea = -Infinity) {
  const height = Float32Array.from({ length: across * down }, (_, i) => ground(i % across, Math.floor(i / across)) + 0);
  const rim = (i: number) => i % across === 0 || i % across === across - 1 || i < across || i >= across * (down - 1);
  const isBase = (i: number) => rim(i) || height[i] < sea;
  const drainage = await kernels.run(drainageProgram, { across, down, spacingX: 10, spacingY: 10, open: true, sea }, height);
  return { height, drainage, isBase };
}

describe('hollows', () => {
  const grounds: [string, number, number, Ground][] = [
    ...[1, 2, 3, 4, 5, 6].map((seed): [string, number, number, Ground] => [`of many sizes, ${seed}`, 121, 87, hollowed(seed, 121, 87, 8 + 4 * seed)]),
    ['with level floors and level passes', 97, 90, (x, y) => Math.round(hollowed(11, 97, 90, 24)(x, y) / 2)],
    ['on a plain that is level all over', 60, 50, () => 7],
    ['that are the whole ground but its rim', 70, 64, (x, y) => Math.max(Math.abs(x - 35), Math.abs(y - 32))],
    ['in every second sample', 80, 61, (x, y) => ((x * 7 + y * 13) % 5) + 0.01 * x],
    ['one row of steps down, each with its dam', 90, 48, (x, y) => 40 - 4 * Math.floor(x / 9) + (x % 9 === 8 ? 2 : 0) + 0.2 * Math.abs(y - 24)],
  ];

  it.each(grounds)('%s are filled to where they spill, and all of it drains', async (_, across, down, ground) => {
    const { height, drainage, isBase } = await drained(ground, across, down);
    expect(drainage.filled).toEqual(filledByDefinition(height, across, down, isBase));
    expectToDrain(drainage, across, isBase);
  });

  it('beside a sea drain into it, level with it or under it', async () => {
    for (const sea of [-3, 0.5, 2]) {
      const { height, drainage, isBase } = await drained(hollowed(21, 100, 80, 30), 100, 80, sea);
      expect(drainage.filled).toEqual(filledByDefinition(height, 100, 80, isBase));
      expectToDrain(drainage, 100, isBase);
    }
  });

  it('are filled alike one by one and by a flood of the whole', async () => {
    // The same hollows, few beside the whole ground and much of it.
    const [across, down] = [180, 150];
    const ground = hollowed(31, 60, 50, 20);
    const few = await drained((x, y) => (x < 60 && y < 50 ? ground(x, y) : 1000 + x + y), across, down);
    const many = await drained((x, y) => (x < 60 && y < 50 ? ground(x, y) : 1000 + ((x * 31 + y * 17) % 7)), across, down);
    const corner = ({ filled }: Drainage) => Array.from({ length: 58 * 48 }, (_, i) => filled[(i % 58) + across * Math.floor(i / 58)]);
    expect(corner(many.drainage)).toEqual(corner(few.drainage));
  });
});
