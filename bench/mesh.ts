import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import Delatin from 'delatin';
import { makeGround } from '../core/field/ground';
import type { Kernels } from '../core/kernels/pool';
import { greedyProgram } from '../core/kernels/programs/greedy';
import { meshFormats } from '../core/mesh/formats';
import { writeModel } from '../core/mesh/formats/write';
import { modelOf } from '../core/mesh/model/model';
import { rasterizeMeshOnKernels } from '../core/mesh/raster/rasterize';
import { gridSurface } from '../core/mesh/surface/surface';
import { timed } from './pairs';

type AddRow = (
  work: string,
  ours: () => Promise<number>,
  theirs: (() => number | Promise<number>) | null,
  aim: { ratio?: number; ms?: number },
  pairs?: number,
) => Promise<void>;

/** Meshes beside a library of the registry and the same in C++. */
export async function meshRows(kernels: Kernels, ground: (n: number) => Promise<Float32Array<ArrayBuffer>>, row: AddRow): Promise<void> {
  const n = 1025;
  const height = await ground(n);
  const args = { across: n, down: n, maxError: 1, triangles: Infinity, rim: null };
  let [ours, theirs] = [0, 0];
  await row(
    `adaptive mesh, ${n}², error 1 m`,
    () => timed(async () => void (ours = (await kernels.run(greedyProgram, args, height)).corners.length / 3)),
    () =>
      timed(() => {
        const delatin = new Delatin(height, n, n);
        delatin.run(1);
        theirs = delatin.triangles.length / 3;
      }),
    { ratio: 0.4 },
  );
  if (ours) console.log(`adaptive mesh: ${ours} triangles, delatin's ${theirs}`);

  const side = 1001;
  const field = { ground: makeGround({ width: 8_000, depth: 8_000, across: side, down: side, registration: 'point' }), height: await ground(side) };
  const mesh = modelOf(field, gridSurface(field, { x: side - 1, y: side - 1 }), 'bench', { normals: 'none', uvs: 'none' }).parts[0].mesh;
  writeFileSync(
    '.cache/mesh.raw',
    Buffer.concat([
      Buffer.from(Uint32Array.of(mesh.positions.length / 3, mesh.indices.length).buffer),
      Buffer.from(mesh.positions.buffer),
      Buffer.from(mesh.indices.buffer),
    ]),
  );
  await row(
    `mesh to heights, 2 M triangles, ${n}²`,
    () => timed(() => rasterizeMeshOnKernels(kernels, mesh, { size: { across: n, down: n } })),
    () => Number(execFileSync('.cache/peer-press', ['.cache/mesh.raw', String(n)], { encoding: 'utf8' })),
    { ratio: 1 },
  );

  const large = 1415;
  const much = { ground: makeGround({ width: 8_000, depth: 8_000, across: large, down: large, registration: 'point' }), height: await ground(large) };
  await row(
    '4 M triangles to GLB, exact normals',
    () =>
      timed(async () => {
        const model = modelOf(much, gridSurface(much, { x: large - 1, y: large - 1 }), 'bench', { normals: 'exact' });
        await writeModel(meshFormats[0], model, 'bench');
      }),
    null,
    { ms: 500 },
    3,
  );
}
