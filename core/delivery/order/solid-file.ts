import type { Order } from '../../course/recipe';
import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { sha256 } from '../../field/hash';
import { statistics } from '../../field/statistics';
import { readMesh } from '../../mesh/formats';
import { stl } from '../../mesh/formats/stl';
import { boundsOf } from '../../mesh/mesh';
import { solidOf } from '../../mesh/model/solid';
import { rasterizeMeshOnKernels } from '../../mesh/raster/rasterize';
import type { ExportedFile, ExportOptions } from './files';

/** A closed solid, read back and pressed to heights again. */
export async function solidFile(field: Field, { receiver }: Order, name: string, { kernels, signal }: ExportOptions): Promise<ExportedFile> {
  if (receiver.heights.by !== 'print') throw new UplandError('format', 'Only a printed model is a solid.');
  const { scale, base } = receiver.heights;
  const bytes = stl.encode(solidOf(field, { scale, base }), name);
  const { ground } = field;
  const { lowest, highest } = statistics(field);
  const back = readMesh(bytes);
  const pressed = await rasterizeMeshOnKernels(kernels, back, { up: 'z', size: { across: ground.across, down: ground.down }, registration: 'point', signal });
  const metres = scale / 1000;
  let [worst, sum] = [0, 0];
  for (let i = 0; i < field.height.length; i++) {
    const h = (pressed.field.height[i] + pressed.field.ground.datum - base) * metres + lowest;
    const off = Math.abs(h - field.height[i] - ground.datum);
    worst = Math.max(worst, off);
    sum += off * off;
  }
  // Single floats in millimetres, and what they lose on the way back.
  const allowed = (highest - lowest) * 2e-6 + metres * (base + (highest - lowest) / metres) * 2 ** -22;
  const faults = worst > allowed || pressed.holes ? [`The solid read back is off by ${worst} m; ${allowed} m is the most that single floats explain.`] : [];
  if (faults.length) throw new UplandError('proof-failed', `${name} was not handed on: its proof failed. ${faults.join(' ')}`);
  const { min, max } = boundsOf(back.positions);
  const size = (axis: number) => Number((max[axis] - min[axis]).toPrecision(5));
  return {
    name,
    bytes,
    mediaType: 'model/stl',
    role: 'solid',
    unit: 'm',
    title: 'A closed solid',
    meaning: 'data',
    toTypeIn: [
      { label: 'Unit', value: 'millimetres, z up' },
      { label: 'Scale', value: `1 : ${scale}` },
      { label: 'Size', value: `${size(0)} × ${size(1)} × ${size(2)} mm` },
      { label: 'Base', value: `${base} mm under the lowest point` },
    ],
    words: [],
    proof: {
      ok: true,
      maxAbs: worst,
      rmse: Math.sqrt(sum / field.height.length),
      clipped: 0,
      codesUsed: 0,
      sha256: await sha256(bytes),
      bytes: bytes.length,
      faults,
    },
  };
}
