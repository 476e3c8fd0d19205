import { firstLines } from '../../../formats/text';
import type { MeshFormat } from '../types';
import { inlineKernels } from '../../../kernels/pool';
import { concat } from '../../../concat';
import { readPieces } from './read-pieces';
import { read } from './read';
import { besideOf, encode, OBJ_MEDIA_TYPE, pieces } from './write';

/**
 * Wavefront OBJ: v, vt, vn and f, 1-based or counted from the end. Faces of more than four
 * corners are cut into a fan. Heights are printed with nine digits, which brings every float32
 * back. Texture coordinates run upwards in OBJ, so v is turned over.
 */
export const obj: MeshFormat = {
  id: 'obj',
  title: 'OBJ',
  endings: ['.obj'],
  mediaType: OBJ_MEDIA_TYPE,
  quads: true,
  textured: true,
  colours: true,
  options: [],
  sniff: looksLikeObj,
  read,
  encode,
  async write(model, name, textures, _, kernels = inlineKernels()) {
    const whole: Uint8Array[] = [];
    for await (const piece of pieces(model, name, textures, kernels)) whole.push(piece);
    return [{ name: `${name}.obj`, bytes: concat(whole), mediaType: OBJ_MEDIA_TYPE }, ...besideOf(model, name, textures)];
  },
  inPieces: { write: pieces, beside: besideOf, read: readPieces },
};

/** Statements that stand in an OBJ beside places and faces. */
const OTHERS = /^\s*(mtllib|usemtl|o|g|s|vt|vn|vp|l|p|cstype|deg|usemap|maplib|shadow_obj|trace_obj|lod|bevel|c_interp|d_interp)(\s|$)/;

/** Whether the first statement that counts is a place or a face of an OBJ. */
function looksLikeObj(bytes: Uint8Array): boolean {
  for (const line of firstLines(bytes, 16_384)) {
    if (line.trim() === '' || /^\s*#/.test(line) || OTHERS.test(line)) continue;
    return /^\s*v\s+[-+.\d]/.test(line) || /^\s*f\s+-?\d+(\/|\s)/.test(line);
  }
  return false;
}
