export { publishedNoise } from './lattice';
export { noiseRows } from './noise';
export { talusHeight, talusRelease, talusSettle } from './talus';
export { sin, cos, tan, atan, atan2, exp, log, pow } from './math';

/** The first free byte of the memory: everything above it belongs to the caller. */
export function heapBase(): usize {
  return __heap_base;
}
