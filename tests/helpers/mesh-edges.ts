import { type Field } from '../../core/field/field';
import { compareMeshToField } from '../../core/mesh/raster/measure';
import { boundsOf, mergeMeshes, type Mesh } from '../../core/mesh/mesh';
import { modelOf } from '../../core/mesh/model/model';
import { type MeshSurface } from '../../core/mesh/surface/surface';

/** How far the surface is from the ground at every sample: by pressing its faces, which knows nothing of how they came about. */
export const errorOf = (of: Field, surface: MeshSurface) => {
  const model = modelOf(of, surface, 'm', { normals: 'none', uvs: 'none' });
  return compareMeshToField(mergeMeshes(model.parts.map((p) => p.mesh)), of, model.frame);
};

/** Edges by the places of their ends; how often each is there, against its own direction counted below 0. */
export function edgesOf(meshes: readonly Mesh[]): Map<string, number> {
  const edges = new Map<string, number>();
  for (const { positions, indices, corners } of meshes) {
    const place = (v: number) => `${positions[3 * v]},${positions[3 * v + 1]},${positions[3 * v + 2]}`;
    for (let i = 0; i < indices.length; i++) {
      const [a, b] = [place(indices[i]), place(indices[i % corners === corners - 1 ? i - corners + 1 : i + 1])];
      const [key, by] = a < b ? [`${a}|${b}`, 1] : [`${b}|${a}`, -1];
      edges.set(key, (edges.get(key) ?? 0) + by);
    }
  }
  return edges;
}

/** Every inner edge must lie between two faces that run along it in opposite ways: what is left over lies on the rim of the whole. */
export function strayEdges(meshes: readonly Mesh[], up: 'y' | 'z' = 'y'): string[] {
  const { min, max } = boundsOf(mergeMeshes(meshes).positions);
  const plan = up === 'y' ? 2 : 1;
  const outside = (key: string) => {
    const [a, b] = key.split('|').map((p) => p.split(',').map(Number));
    return [0, plan].some((k) => a[k] === b[k] && (a[k] === min[k] || a[k] === max[k]));
  };
  return [...edgesOf(meshes)].filter(([key, count]) => count !== 0 && !outside(key)).map(([key]) => key);
}
