import { concat } from '../../../concat';
import type { Kernels } from '../../../kernels/pool';
import { LINES_AT_ONCE, writeLinesProgram } from '../../../kernels/programs/mesh-lines';
import { vertexCount, type Mesh } from '../../mesh';
import type { Model } from '../../model/model';
import type { MeshFile, Textures } from '../types';
import { Lines, linesOf, putLines, type FirstNumbers } from './lines';

export const OBJ_MEDIA_TYPE = 'model/obj';

const text = (...lines: string[]) => new TextEncoder().encode(`${lines.join('\n')}\n`);
const plainName = (name: string) => name.replace(/\s+/g, '_');

/** One mesh as one OBJ, on this thread. */
export function encode(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  const whole = new Lines();
  whole.line(`# ${vertexCount(mesh)} vertices, ${mesh.up} up, metres`, `o ${plainName(name)}`);
  for (const { kind, lines } of linesOf(mesh)) putLines(whole, kind, mesh, 0, lines, { v: 1, vt: 1, vn: 1 });
  return whole.done();
}

/** What the parts of a model wear: pictures on the ground, the colour of water. */
function dressOf({ parts }: Pick<Model, 'parts'>, { colour, normal }: Textures) {
  const wears = Boolean(colour ?? normal) && parts.some((p) => p.mesh.uvs);
  const water = parts.some((p) => p.kind === 'water');
  return { wears, water, any: wears || water };
}

/** Parts as one OBJ, an object each, piece by piece on the kernels' threads. */
export async function* pieces(
  model: Pick<Model, 'parts' | 'frame'>,
  name: string,
  textures: Textures,
  kernels: Kernels,
): AsyncGenerator<Uint8Array<ArrayBuffer>> {
  const {
    parts,
    frame: { scale },
  } = model;
  const { wears, any } = dressOf(model, textures);
  const total = parts.reduce((n, p) => n + vertexCount(p.mesh), 0);
  yield text(`# ${total} vertices in ${parts.length} objects, ${parts[0].mesh.up} up, ${scale === 1 ? 'metres' : `${scale} units to a metre`}`);
  if (any) yield text(`mtllib ${plainName(name)}.mtl`);
  const first: FirstNumbers = { v: 1, vt: 1, vn: 1 };
  for (const { mesh, name: own, kind } of parts) {
    yield text(`o ${plainName(own)}`);
    const material = kind === 'water' ? 'water' : wears ? 'ground' : undefined;
    // The next piece is put together while this one is taken away.
    let made: Promise<Uint8Array<ArrayBuffer>> | undefined;
    for (const piece of piecesOf(mesh)) {
      const next = linesOnKernels(mesh, piece, { ...first }, kernels);
      // What goes wrong in it is told where it is waited for.
      next.catch(() => undefined);
      if (made) yield await made;
      if (material && piece.kind === 'f' && piece.from === 0) {
        made = next.then((lines) => concat([text(`usemtl ${material}`), lines]));
        made.catch(() => undefined);
      } else made = next;
    }
    if (made) yield await made;
    first.v += vertexCount(mesh);
    if (mesh.uvs) first.vt += mesh.uvs.length / 2;
    if (mesh.normals) first.vn += mesh.normals.length / 3;
  }
}

/** Lines that are put together in one run of the kernels. */
const LINES_IN_A_RUN = 64 * LINES_AT_ONCE;

type Piece = ReturnType<typeof linesOf>[number] & { from: number; to: number };

function* piecesOf(mesh: Mesh): Generator<Piece> {
  for (const kind of linesOf(mesh)) {
    for (let from = 0; from < kind.lines; from += LINES_IN_A_RUN) yield { ...kind, from, to: Math.min(kind.lines, from + LINES_IN_A_RUN) };
  }
}

async function linesOnKernels(mesh: Mesh, { kind, each, numbers, from, to }: Piece, first: FirstNumbers, kernels: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  const colours = kind === 'v' ? mesh.colours?.subarray(3 * from, 3 * to) : undefined;
  const stretches = await kernels.run(
    writeLinesProgram,
    {
      kind,
      lines: to - from,
      each,
      coloured: colours !== undefined,
      first: { v: first.v, vt: mesh.uvs ? first.vt : 0, vn: mesh.normals ? first.vn : 0 },
    },
    { numbers: numbers.subarray(each * from, each * to), colours },
  );
  return concat(
    stretches.map((stretch, k) => {
      if (stretch) return stretch;
      const own = new Lines();
      const begin = from + k * LINES_AT_ONCE;
      putLines(own, kind, mesh, begin, Math.min(to, begin + LINES_AT_ONCE), first);
      return own.done();
    }),
  );
}

/** What belongs beside the mesh: its materials, and the pictures that they name. */
export function besideOf(model: Pick<Model, 'parts'>, name: string, textures: Textures): MeshFile[] {
  const { wears, water, any } = dressOf(model, textures);
  if (!any) return [];
  const plain = plainName(name);
  const own: string[] = [];
  const picture = (kind: 'colour' | 'normal') => `${plain}-${kind}.png`;
  if (wears) {
    own.push('newmtl ground', 'Ka 0 0 0', 'Kd 1 1 1', 'Ks 0 0 0', 'illum 1');
    if (textures.colour) own.push(`map_Kd ${picture('colour')}`);
    // `norm` is how OBJ materials name a normal map (common practice).
    if (textures.normal) own.push(`norm ${picture('normal')}`);
  }
  if (water) own.push('newmtl water', 'Ka 0 0 0', 'Kd 0.05 0.14 0.16', 'Ks 0.5 0.5 0.5', 'Ns 200', 'd 0.75', 'illum 2');
  const files: MeshFile[] = [{ name: `${plain}.mtl`, bytes: text(...own), mediaType: 'model/mtl' }];
  for (const kind of ['colour', 'normal'] as const) {
    const bytes = textures[kind];
    if (bytes && wears) files.push({ name: picture(kind), bytes, mediaType: 'image/png' });
  }
  return files;
}
