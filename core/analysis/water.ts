import { inBlocks } from '../blocks';
import { z } from 'zod';
import type { Field } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import { exactMath } from '../kernels/math';
import type { Kernels } from '../kernels/pool';
import { drainageOf, lakesOf } from './drainage';

/** What stands and runs as water on a ground. */
export const WATERS = { all: 'All of it', sea: 'Sea', lakes: 'Lakes', streams: 'Streams' } as const;
export type Waters = keyof typeof WATERS;

/** What counts as a lake and as a stream. Metres, m², metres of rain a year. */
export const waterSchema = z.object({
  lakes: z.boolean().default(true),
  /** A hollow that is less deep, or smaller, holds no lake. */
  leastDepth: z.number().min(0).max(1_000).default(0.8),
  leastArea: z.number().min(0).max(1e9).default(2_500),
  streams: z.boolean().default(true),
  /** A stream is seen where the water of a square this wide has gathered, metres. */
  from: z.number().min(1).max(100_000).default(600),
  /** What of the rain runs off, metres a year. */
  runoff: z.number().min(0.01).max(20).default(0.8),
  /** Times the width and depth that rivers of such a flow usually have. */
  size: z.number().min(0.1).max(20).default(1),
});
export type WaterRules = z.output<typeof waterSchema>;

export interface Water {
  /** Metres of water over the ground: sea, lakes at their own levels, and streams that are as wide as a sample. */
  depth: Float32Array<ArrayBuffer>;
  /** How much of a sample lies under a stream, 0 to 1. */
  stream: Float32Array<ArrayBuffer>;
  /** 1 in the sea, 2 in a lake, 0 elsewhere. */
  standing: Uint8Array<ArrayBuffer>;
}

const YEAR = 31_557_600;
/** Common practice for gravel rivers at 1 m³/s, metres; with Leopold & Maddock 1953 for what more water makes of it. */
const WIDTH_AT_1 = 3.5;
const DEPTH_AT_1 = 0.3;

/**
 * The water on a ground: what lies under the sea level, lakes where drainage finds hollows, each at the level of its way out, and streams along the
 * steepest way, wide and deep by their discharge (width ∝ Q^0.5, depth ∝ Q^0.4, Leopold & Maddock 1953). Q is the catchment times what runs off.
 */
export async function waterOf(kernels: Kernels, field: Field, rules: WaterRules, { signal }: { signal?: AbortSignal } = {}): Promise<Water> {
  const { ground, height } = field;
  const { across, down } = ground;
  const sea = ground.sea - ground.datum;
  const depth = new Float32Array(height.length);
  const stream = new Float32Array(height.length);
  const standing = new Uint8Array(height.length);
  let toSea = false;
  for (let i = 0; i < height.length; i++) {
    if (height[i] >= sea) continue;
    toSea = true;
    depth[i] = sea - height[i];
    standing[i] = 1;
  }
  if (!rules.lakes && !rules.streams) return { depth, stream, standing };
  const drainage = await drainageOf(kernels, field, { toSea, signal });
  const { filled, accumulation } = drainage;
  if (rules.lakes) {
    const { lakes, label } = lakesOf(field, drainage);
    for (let i = 0; i < height.length; i++) {
      const lake = lakes[label[i] - 1];
      if (!lake || standing[i] || lake.depth < rules.leastDepth || lake.area < rules.leastArea) continue;
      depth[i] = filled[i] - height[i];
      standing[i] = 2;
    }
  }
  if (rules.streams) {
    const { x, y } = spacingOf(ground);
    const cell = x * y;
    const least = (rules.from * rules.from) / cell;
    const { pow } = exactMath();
    for (let i = 0; i < height.length; i++) {
      if (accumulation[i] < least || standing[i]) continue;
      const flow = (accumulation[i] * cell * rules.runoff) / YEAR;
      const wide = rules.size * WIDTH_AT_1 * pow(flow, 0.5);
      const deep = rules.size * DEPTH_AT_1 * pow(flow, 0.4);
      layStream({ across, down, x, y }, i, wide / 2, (j, share) => {
        if (standing[j]) return;
        // Its banks hold it: what lies higher than its surface stays dry.
        const over = height[i] + deep - height[j];
        if (over <= 0) return;
        stream[j] = Math.max(stream[j], share);
        if (share >= 1) depth[j] = Math.max(depth[j], Math.min(over, deep));
      });
    }
  }
  return { depth, stream, standing };
}

/** The samples within half a stream's width of its middle, and how much of each lies under it. */
function layStream(
  { across, down, x, y }: { across: number; down: number; x: number; y: number },
  i: number,
  half: number,
  put: (j: number, share: number) => void,
): void {
  const near = Math.min(x, y);
  if (half <= near / 2) {
    put(i, Math.min(1, (2 * half) / near));
    return;
  }
  const column = i % across;
  const row = (i - column) / across;
  const [reachX, reachY] = [Math.ceil(half / x), Math.ceil(half / y)];
  for (let r = Math.max(0, row - reachY); r <= Math.min(down - 1, row + reachY); r++) {
    for (let c = Math.max(0, column - reachX); c <= Math.min(across - 1, column + reachX); c++) {
      const away = Math.sqrt((c - column) * (c - column) * x * x + (r - row) * (r - row) * y * y);
      const share = Math.min(1, Math.max(0, (half - away) / near + 0.5));
      if (share > 0) put(r * across + c, share);
    }
  }
}

/** How much of every sample lies under water of a kind, 0 to 1. */
export function waterWeights({ depth, stream, standing }: Water, of: Waters): Float32Array<ArrayBuffer> {
  const out = new Float32Array(depth.length);
  const [sea, lakes, streams] = (['sea', 'lakes', 'streams'] as const).map((kind) => of === 'all' || of === kind);
  inBlocks(out.length, (from, to) => {
    for (let i = from; i < to; i++) {
      const kind = standing[i];
      if (kind === 1) out[i] = sea ? 1 : 0;
      else if (kind === 2) out[i] = lakes ? 1 : 0;
      else if (streams) out[i] = stream[i];
    }
  });
  return out;
}

/** Metres of water of a kind over every sample. */
export function waterDepth({ depth, standing }: Water, of: Waters): Float32Array<ArrayBuffer> {
  const kind = { all: -1, sea: 1, lakes: 2, streams: 0 }[of];
  return kind < 0 ? depth.slice() : depth.map((d, i) => (standing[i] === kind ? d : 0));
}

/** The rules that fit a ground: streams begin at a twelfth of its side at most. */
export const usualWater = ({ width, depth }: Pick<Ground, 'width' | 'depth'>): WaterRules => {
  const from = Math.min(600, Math.min(width, depth) / 12);
  return waterSchema.parse({ from: Number(from.toPrecision(2)), leastArea: Math.min(2_500, (from * from) / 100) });
};
