import { execFileSync } from 'node:child_process';
import { instantiate } from '../core/kernels/loader';
import { inPairs, type Row } from './pairs';

const N = 1025;
const SWEEPS = 20;
const stride = ((N + 3) & ~3) + 8;
const size = stride * (N + 2) * 4;
const memory = new WebAssembly.Memory({ initial: Math.ceil((size * 5 + stride * 16 + 131_072) / 65_536) });
const kernels = instantiate('plain', memory);
const base = (kernels.heapBase() + 63) & ~63;
const at = (i: number) => base + i * size;
const floats = (i: number) => new Float32Array(memory.buffer, at(i), size / 4);

/** Twenty sweeps on the ground that the peer makes, on one grid and one thread. */
function ours(): number {
  const drop = 8 * Math.tan((34 * Math.PI) / 180);
  const bed = floats(0).fill(1e30);
  floats(1).fill(0);
  floats(2).fill(1e30);
  floats(3).fill(0);
  for (let y = 0; y < N; y++)
    for (let x = 0; x < N; x++) bed[(y + 1) * stride + x + 4] = 300 * Math.sin(x * 0.05) * Math.cos(y * 0.04) + 12 * Math.sin(x * 1.7 + y * 2.3);
  const weights = new Float32Array(memory.buffer, at(5), stride * 4).fill(0);
  for (let x = 0; x < N; x++) {
    weights[x + 4] = x > 0 ? 1 : 0;
    weights[stride + x + 4] = 1;
    weights[2 * stride + x + 4] = x < N - 1 ? 1 : 0;
    weights[3 * stride + x + 4] = 1;
  }
  const area = at(5) + stride * 12;
  // As in C, all of it in every sweep.
  const all = [0, 0] as const;
  const began = performance.now();
  for (let s = 0; s < SWEEPS; s++) {
    kernels.talusHeight(at(0), at(1), at(2), ...all, stride, 0, N);
    kernels.talusRelease(at(2), at(3), at(4), 0, ...all, 0, 0, at(5), area, stride, 0, N, N, 0, drop, drop, drop * Math.SQRT2);
    kernels.talusSettle(at(2), at(3), at(4), at(1), 0, ...all, 0, at(5), area, stride, 0, N, N, 0, drop, drop, drop * Math.SQRT2);
  }
  return performance.now() - began;
}

/** Talus on one grid and one thread beside the same in C. */
export function talusRow(): Promise<Row> {
  const theirs = () => Number(execFileSync('.cache/peer-talus', [String(SWEEPS)], { encoding: 'utf8' }));
  return inPairs(`talus, ${SWEEPS} sweeps, ${N}², 1 thread`, ours, theirs, { ratio: 1.5 });
}
