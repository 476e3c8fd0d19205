import { z } from 'zod';
import { drainageOf } from '../../analysis/drainage';
import { spacingOf } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import { choice, degrees, distance, plain } from '../params';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep, type Layers } from '../step';
import { stamp, type Stamped } from './stamp';

/** Seconds in a year. */
const YEAR = 31_557_600;

/**
 * Cuts river channels along accumulated flow, their beds falling all the way to the sea or the
 * edge, wider and deeper the more water they carry: width ∝ Q^0.5, depth ∝ Q^0.4.
 *
 * Lengths in metres, rain in metres a year; Q in m³/s is the catchment times what runs off.
 * Leaves `cut` and `water` (depth of water in the channel, metres) and `flow` (m²).
 * Source of the exponents: Leopold & Maddock 1953, "The hydraulic geometry of stream channels",
 * downstream. The factors are common practice for gravel rivers: 3.5 m and 0.3 m at 1 m³/s.
 */
export const river = defineStep({
  id: 'river',
  title: 'River channels',
  family: 'weather',
  summary: 'Channels are cut where water gathers, wider and deeper downstream.',
  finds: ['rivers', 'stream', 'channels', 'carve', 'hydraulic', 'water', 'network', 'lake'],
  params: z.object({
    amount: plain(1, { min: 0.1, max: 20, step: 0.1, label: 'Size', help: 'Times the width and depth that rivers of this flow usually have.' }),
    scale: distance(1_000, {
      fits: 'size',
      min: 20,
      max: 20_000,
      logarithmic: true,
      label: 'Begins at',
      help: 'A channel begins where the water of a square this wide has gathered.',
    }),
    bank: degrees(34, { min: 2, max: 80, label: 'Bank angle', help: 'How the banks rise beside the water.' }),
    runoff: distance(0.8, { more: true, min: 0.01, max: 10, step: 0.05, label: 'Runs off', help: 'Metres of rain a year that reach the river.' }),
    widthAt1: distance(3.5, { more: true, min: 0.1, max: 50, step: 0.1, label: 'Width at 1 m³/s' }),
    depthAt1: distance(0.3, { more: true, min: 0.02, max: 10, step: 0.02, label: 'Depth at 1 m³/s' }),
    edges: choice(
      'open',
      { open: 'Open', closed: 'Closed' },
      { more: true, label: 'Edges', help: 'Open: rivers leave over the edge of the ground. Closed: to the sea or the lowest place.' },
    ),
  }),
  presets: [
    { name: 'Becks', params: { amount: 1, scale: 500, bank: 40 } },
    { name: 'One main river', params: { amount: 1.5, scale: 3_000, bank: 30 } },
    { name: 'Broad and slow', params: { amount: 3, scale: 1_500, bank: 14 } },
    { name: 'Deep-cut gorges', params: { amount: 6, scale: 1_200, bank: 62 } },
    { name: 'Ditches and drains', params: { amount: 1.2, scale: 150, bank: 50 } },
  ],
  takesMask: true,
  inputs: () => ({ sea: true }),
  reach: () => Infinity,
  caption: ({ scale }) => `from ${scale} m`,
  async run({ height }, params, context) {
    const { ground, kernels, signal, mask } = context;
    const { pow, tan } = exactMath();
    const sea = ground.sea - ground.datum;
    const toSea = height.some((h) => h < sea);
    const { filled, receiver, accumulation, order } = await drainageOf(kernels, { ground, height }, { toSea, open: params.edges === 'open', signal });
    const { x, y } = spacingOf(ground);
    const cell = x * y;
    const least = (params.scale * params.scale) / cell;
    // Downstream: no bed lies higher than the one above it, and each as deep under its banks as its flow makes it.
    const bed = new Float32Array(height.length).fill(Infinity);
    const stamps: Stamped[] = [];
    const depth = new Float32Array(height.length);
    const rest = cooperativeYield(signal);
    for (let k = 0; k < order.length; k++) {
      if (k % 4096 === 0) {
        const pause = rest();
        if (pause) await pause;
      }
      const i = order[k];
      if (accumulation[i] < least || height[i] < sea) continue;
      const flow = (accumulation[i] * cell * params.runoff) / YEAR;
      const deep = params.amount * params.depthAt1 * pow(flow, 0.4);
      const wide = params.amount * params.widthAt1 * pow(flow, 0.5);
      // In a lake the bed lies under its level; rivers do not cut below the sea.
      let level = Math.min(bed[i], Math.min(height[i], filled[i]) - deep);
      if (toSea) level = Math.max(level, Math.min(sea - deep, height[i]));
      bed[i] = level;
      depth[i] = deep;
      const r = receiver[i];
      if (r !== i && bed[r] > level) bed[r] = level;
      stamps.push({ at: i, level, wide: wide / 2 });
    }
    if (stamps.length === 0) {
      context.say('Nowhere does the water of so large a square gather: no channel begins. Let it begin at a smaller one.');
      return { height: height.slice(), layers: {} as Layers };
    }
    const cutTo = stamp(height, ground, stamps, { floor: 1, bank: tan(params.bank * DEGREE) });
    const out = new Float32Array(height.length);
    const cut = new Float32Array(height.length);
    const water = new Float32Array(height.length);
    const flow = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) {
      out[i] = height[i] + (cutTo[i] - height[i]) * (mask ? mask[i] : 1);
      cut[i] = height[i] - out[i];
      flow[i] = accumulation[i] * cell;
      if (depth[i] > 0) water[i] = depth[i];
    }
    const layers: Layers = { cut, water, flow };
    return { height: out, layers };
  },
});
