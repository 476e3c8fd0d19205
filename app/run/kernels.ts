import { availableParallelism } from 'node:os';
import { inlineKernels, type Kernels } from '@upland-cast/core';
import { nodeKernels } from '../../cli/node-kernels';

let kernels: Kernels | undefined;

/** Kernels over worker threads where the script of the pool is there (`UPLAND_POOL`), else in place; the same for all orders. */
export function serverKernels(): Kernels {
  const script = process.env.UPLAND_POOL;
  return (kernels ??= script && availableParallelism() > 1 ? nodeKernels(new URL(script)) : inlineKernels());
}
