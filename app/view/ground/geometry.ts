import { BufferAttribute, BufferGeometry, InstancedBufferGeometry, type InstancedBufferAttribute } from 'three';
import { PATCH_QUADS } from '@upland-cast/core';

/** One patch of the ground, drawn at every place in `patchAt`; a skirt hangs from its sides. */
export function patchGeometry(patchAt: InstancedBufferAttribute): InstancedBufferGeometry {
  const patches = new InstancedBufferGeometry();
  const n = PATCH_QUADS;
  const positions: number[] = [];
  const indices: number[] = [];
  for (let z = 0; z <= n; z++) for (let x = 0; x <= n; x++) positions.push(x / n, 0, z / n);
  for (let z = 0; z < n; z++) {
    for (let x = 0; x < n; x++) {
      const a = z * (n + 1) + x;
      indices.push(a, a + n + 1, a + 1, a + 1, a + n + 1, a + n + 2);
    }
  }
  // A skirt hangs from every side, so that levels of detail that meet leave no crack.
  const edge = (at: (i: number) => [number, number]) => {
    const start = positions.length / 3;
    for (let i = 0; i <= n; i++) {
      const [x, z] = at(i);
      positions.push(x / n, 0, z / n, x / n, 1, z / n);
    }
    for (let i = 0; i < n; i++) {
      const a = start + 2 * i;
      indices.push(a, a + 1, a + 2, a + 2, a + 1, a + 3);
    }
  };
  edge((i) => [i, 0]);
  edge((i) => [i, n]);
  edge((i) => [0, i]);
  edge((i) => [n, i]);
  patches.setAttribute('position', new BufferAttribute(new Float32Array(positions), 3));
  patches.setAttribute('patchAt', patchAt);
  patches.setIndex(indices);
  return patches;
}

/** The four walls of the cut through the ground: places on the rim, at its top (1) and its foot (0). */
export function wallGeometry(parts: number): BufferGeometry {
  const positions: number[] = [];
  const indices: number[] = [];
  const side = (at: (t: number) => [number, number]) => {
    const start = positions.length / 3;
    for (let i = 0; i <= parts; i++) {
      const [x, z] = at(i / parts);
      positions.push(x, z, 1, x, z, 0);
    }
    for (let i = 0; i < parts; i++) {
      const a = start + 2 * i;
      indices.push(a, a + 1, a + 2, a + 2, a + 1, a + 3);
    }
  };
  side((t) => [t, 0]);
  side((t) => [t, 1]);
  side((t) => [0, t]);
  side((t) => [1, t]);
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(positions), 3));
  // How high the stack of beds lies at each place.
  geometry.setAttribute('stack', new BufferAttribute(new Float32Array(positions.length / 3), 1));
  geometry.setIndex(indices);
  return geometry;
}
