import { z } from 'zod';
import { sha256 } from '../field/hash';
import type { Field } from '../field/field';
import type { Ground } from '../field/ground';
import { tileStem, type World } from './manifest';
import { FACES, isOnGround, meshOfNode, stridesOfTile, type MeshNode, type SampledHeights } from './mesh-nodes';
import type { WorldTile } from './plan';
import { writeJson, type WorldStore } from './store';
import { eastNorthUpAt, tilesetOf, type TreeTile } from './tileset';

export const TILESET_OF_WORLD = 'meshes/tileset.json';

/** A tree of meshes that a tile has, as it is noted. */
export const treeSchema = z.object({
  row: z.int(),
  column: z.int(),
  origin: z.tuple([z.number(), z.number(), z.number()]),
  half: z.tuple([z.number(), z.number()]),
  lowest: z.number(),
  highest: z.number(),
  error: z.number(),
  uri: z.string(),
});
export type TileTree = z.output<typeof treeSchema>;

export interface WrittenFile {
  name: string;
  sha256: string;
  bytes: number;
}

const nameOfNode = ({ stride, row, column }: MeshNode) => `${stride}-${row}-${column}.glb`;

/** Samples around a tile that its meshes read. */
export const reachOfMeshes = ({ meshes, tile }: Pick<World, 'meshes' | 'tile'>): number => (meshes ? 2 * stridesOfTile(tile, meshes.every).at(-1)! : 0);

/** Writes the meshes of a tile, from fine to coarse: every node that begins in it, and a tree of 3D Tiles over each of its coarsest. */
export async function writeTileMeshes(
  store: WorldStore,
  world: World,
  tile: WorldTile,
  heights: SampledHeights,
): Promise<{ trees: TileTree[]; files: WrittenFile[] }> {
  const { ground, meshes } = world;
  const strides = stridesOfTile(world.tile, meshes!.every);
  const stem = tileStem(world, tile);
  const files: WrittenFile[] = [];
  const put = async (name: string, bytes: Uint8Array<ArrayBuffer>) => {
    await store.write(`meshes/${stem}/${name}`, bytes);
    files.push({ name: `meshes/${stem}/${name}`, sha256: await sha256(bytes), bytes: bytes.length });
  };
  const build = async (node: MeshNode, level: number): Promise<TreeTile> => {
    const children: TreeTile[] = [];
    if (level > 0) for (const child of childrenOf(node, ground)) children.push(await build(child, level - 1));
    // Of the finest every sample in between counts.
    const finer = level > 0 ? strides[level - 1] : meshes!.every > 1 ? 1 : 0;
    const { bytes, off, ...made } = await meshOfNode(heights, node, finer, ground, `${stem} ${nameOfNode(node)}`);
    await put(nameOfNode(node), bytes);
    return { ...made, error: off + Math.max(0, ...children.map((child) => child.error)), uri: nameOfNode(node), children };
  };
  const trees: TileTree[] = [];
  const top = strides.length - 1;
  for (const node of nodesOfTile(world, tile, strides[top])) {
    const tree = await build(node, top);
    const name = trees.length === 0 ? 'tileset.json' : `tileset-${trees.length + 1}.json`;
    await put(name, new TextEncoder().encode(JSON.stringify(tilesetOf(tree))));
    const { origin, half, lowest, highest, error } = tree;
    trees.push({ row: node.row, column: node.column, origin, half, lowest, highest, error, uri: `${stem}/${name}` });
  }
  return { trees, files };
}

const childrenOf = ({ stride, row, column }: MeshNode, ground: Ground): MeshNode[] =>
  [0, 1, 2, 3].map((k) => ({ stride: stride / 2, row: 2 * row + (k >> 1), column: 2 * column + (k & 1) })).filter((child) => isOnGround(child, ground));

/** The nodes of a stride that begin in a tile. */
function nodesOfTile({ ground, shared }: World, { window }: WorldTile, stride: number): MeshNode[] {
  const side = FACES * stride;
  const end = (from: number, count: number, all: number) => (from + count >= all ? all - 1 : from + count - (shared ? 1 : 0));
  const [right, bottom] = [end(window.left, window.across, ground.across), end(window.top, window.down, ground.down)];
  const nodes: MeshNode[] = [];
  for (let row = window.top / side; row * side < bottom; row++)
    for (let column = window.left / side; column * side < right; column++) nodes.push({ stride, row, column });
  return nodes;
}

/** The levels above the tiles' own, made of every so-manieth sample while the tiles are read once more. */
export class UpperMeshes {
  private readonly stride: number;
  private readonly heights: SampledHeights;
  private readonly trees: TileTree[] = [];

  constructor(private readonly world: World) {
    this.stride = stridesOfTile(world.tile, world.meshes!.every).at(-1)!;
    const { across, down } = world.ground;
    const [columns, rows] = [linesEvery(this.stride, across), linesEvery(this.stride, down)];
    this.heights = { columns, rows, height: new Float32Array(columns.length * rows.length) };
  }

  take({ window }: WorldTile, { ground, height }: Field, trees: readonly TileTree[]): void {
    const { columns, rows, height: out } = this.heights;
    this.trees.push(...trees);
    const [right, bottom] = [window.left + window.across, window.top + window.down];
    for (let r = 0; r < rows.length; r++) {
      if (rows[r] < window.top || rows[r] >= bottom) continue;
      const from = (rows[r] - window.top) * window.across - window.left;
      for (let c = 0; c < columns.length; c++)
        if (columns[c] >= window.left && columns[c] < right) out[r * columns.length + c] = height[from + columns[c]] + ground.datum;
    }
  }

  /** Writes the coarser meshes, and the tree over all of them. */
  async finish(store: WorldStore): Promise<string[]> {
    const { world, heights } = this;
    const { ground, meshes } = world;
    const files: string[] = [];
    let level = new Map<string, TreeTile & { row: number; column: number }>(
      this.trees.map((tree) => [`${tree.row}:${tree.column}`, { ...tree, children: [] }]),
    );
    for (let stride = 2 * this.stride; level.size > 1; stride *= 2) {
      const above: typeof level = new Map();
      for (const { row, column } of level.values()) {
        const node: MeshNode = { stride, row: row >> 1, column: column >> 1 };
        const key = `${node.row}:${node.column}`;
        if (above.has(key)) continue;
        const children = childrenOf(node, ground).flatMap((child) => level.get(`${child.row}:${child.column}`) ?? []);
        const { bytes, off, ...made } = await meshOfNode(heights, node, stride / 2, ground, `${world.name} ${nameOfNode(node)}`);
        await store.write(`meshes/${nameOfNode(node)}`, bytes);
        files.push(`meshes/${nameOfNode(node)}`);
        above.set(key, {
          ...made,
          row: node.row,
          column: node.column,
          lowest: Math.min(made.lowest, ...children.map((child) => child.lowest)),
          highest: Math.max(made.highest, ...children.map((child) => child.highest)),
          error: off + Math.max(...children.map((child) => child.error)),
          uri: nameOfNode(node),
          children,
        });
      }
      level = above;
    }
    const [root] = level.values();
    await writeJson(store, TILESET_OF_WORLD, tilesetOf(root, meshes!.at ? eastNorthUpAt(meshes!.at) : IDENTITY));
    return [TILESET_OF_WORLD, ...files];
  }
}

const IDENTITY = Array.from({ length: 16 }, (_, i) => (i % 5 === 0 ? 1 : 0));

/** Every so-manieth line of samples, and the last. */
function linesEvery(stride: number, count: number): Int32Array {
  const lines: number[] = [];
  for (let at = 0; at < count - 1; at += stride) lines.push(at);
  return Int32Array.from([...lines, count - 1]);
}
