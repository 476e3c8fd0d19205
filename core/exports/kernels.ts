/** The hot loops, in place or over worker threads. */

import '../zod-jitless';

export { VERSION as KERNEL_VERSION } from '../kernels/generated/binaries';
export { exactMath } from '../kernels/math';
export { inlineKernels, type Kernels, pooledKernels } from '../kernels/pool';
