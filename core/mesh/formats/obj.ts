import { quoted, UplandError } from '../../errors';
import { concat } from '../../concat';
import { DecimalWriter } from '../../formats/decimal';
import { firstLines, lineAt, plainText, textOf } from '../../formats/text';
import { vertexCount, type Mesh } from '../mesh';
import type { Model } from '../model/model';
import type { MeshFile, MeshFormat, Textures } from './types';
import { Numbers, placesOf } from './places';

/**
 * Wavefront OBJ: v, vt, vn and f, 1-based or counted from the end. Faces of more than four
 * corners are cut into a fan. Heights are printed with nine digits, which brings every float32
 * back. Texture coordinates run upwards in OBJ, so v is turned over.
 */
export const obj: MeshFormat = {
  id: 'obj',
  title: 'OBJ',
  endings: ['.obj'],
  mediaType: 'model/obj',
  quads: true,
  textured: true,
  colours: true,
  options: [],
  sniff: looksLikeObj,
  read,
  encode,
  write,
};

function encode(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  const text = new Lines();
  text.line(`# ${vertexCount(mesh)} vertices, ${mesh.up} up, metres`);
  body(text, mesh, name, { v: 1, vt: 1, vn: 1 });
  return text.done();
}

/** Parts as one OBJ: an object each; with a material file and its pictures where they wear any. */
async function write({ parts, frame: { scale } }: Pick<Model, 'parts' | 'frame'>, name: string, textures: Textures): Promise<MeshFile[]> {
  const text = new Lines();
  const wears = Boolean(textures.colour ?? textures.normal) && parts.some((p) => p.mesh.uvs);
  const water = parts.some((p) => p.kind === 'water');
  const total = parts.reduce((n, p) => n + vertexCount(p.mesh), 0);
  text.line(`# ${total} vertices in ${parts.length} objects, ${parts[0].mesh.up} up, ${scale === 1 ? 'metres' : `${scale} units to a metre`}`);
  const plain = name.replace(/\s+/g, '_');
  if (wears || water) text.line(`mtllib ${plain}.mtl`);
  const next = { v: 1, vt: 1, vn: 1 };
  for (const part of parts) body(text, part.mesh, part.name, next, part.kind === 'water' ? 'water' : wears ? 'ground' : undefined);
  const files: MeshFile[] = [{ name: `${name}.obj`, bytes: text.done(), mediaType: obj.mediaType }];
  if (!wears && !water) return files;
  const own = new Lines();
  const picture = (kind: 'colour' | 'normal') => `${plain}-${kind}.png`;
  if (wears) {
    own.line('newmtl ground', 'Ka 0 0 0', 'Kd 1 1 1', 'Ks 0 0 0', 'illum 1');
    if (textures.colour) own.line(`map_Kd ${picture('colour')}`);
    // `norm` is how OBJ materials name a normal map (common practice).
    if (textures.normal) own.line(`norm ${picture('normal')}`);
  }
  if (water) own.line('newmtl water', 'Ka 0 0 0', 'Kd 0.05 0.14 0.16', 'Ks 0.5 0.5 0.5', 'Ns 200', 'd 0.75', 'illum 2');
  files.push({ name: `${plain}.mtl`, bytes: own.done(), mediaType: 'model/mtl' });
  for (const kind of ['colour', 'normal'] as const) {
    const bytes = textures[kind];
    if (bytes && wears) files.push({ name: picture(kind), bytes, mediaType: 'image/png' });
  }
  return files;
}

/** Bytes that are put together at a time. */
const PIECE = 1 << 20;

/** Text that grows line by line, as bytes. */
class Lines {
  private readonly parts: Uint8Array[] = [];
  readonly now = new DecimalWriter(PIECE + 65_536);

  line(...lines: string[]): void {
    // Names may hold any letters.
    this.parts.push(this.now.take(), new TextEncoder().encode(`${lines.join('\n')}\n`));
  }

  /** Ends a line that was begun in `now`. */
  end(): void {
    this.now.code(NEW_LINE);
    if (this.now.length > PIECE) this.parts.push(this.now.take());
  }

  done(): Uint8Array<ArrayBuffer> {
    return concat([...this.parts, this.now.take()]);
  }
}

const [NEW_LINE, SPACE, SLASH, FACE] = [10, 32, 47, 102];

/** A statement of numbers with nine digits. */
function put(text: Lines, word: string, a: number, b: number, c?: number): void {
  const { now } = text;
  now.text(word);
  now.number(a);
  now.code(SPACE);
  now.number(b);
  if (c === undefined) return;
  now.code(SPACE);
  now.number(c);
}

/** An object; `next` holds the numbers that its first entries have. */
function body(text: Lines, mesh: Mesh, name: string, next: { v: number; vt: number; vn: number }, material?: string): void {
  const { positions, normals, uvs, colours, indices, corners } = mesh;
  text.line(`o ${name.replace(/\s+/g, '_')}`);
  // Colours behind the place, as shares of full (common practice).
  const share = (code: number) => String(Math.round((code / 255) * 1e5) / 1e5);
  const { now } = text;
  for (let i = 0; i < positions.length; i += 3) {
    put(text, 'v ', positions[i], positions[i + 1], positions[i + 2]);
    if (colours) now.text(` ${share(colours[i])} ${share(colours[i + 1])} ${share(colours[i + 2])}`);
    text.end();
  }
  if (uvs)
    for (let i = 0; i < uvs.length; i += 2) {
      put(text, 'vt ', uvs[i], 1 - uvs[i + 1]);
      text.end();
    }
  if (normals)
    for (let i = 0; i < normals.length; i += 3) {
      now.text('vn ');
      now.fixed6(normals[i]);
      now.code(SPACE);
      now.fixed6(normals[i + 1]);
      now.code(SPACE);
      now.fixed6(normals[i + 2]);
      text.end();
    }
  if (material) text.line(`usemtl ${material}`);
  const { v, vt, vn } = next;
  for (let f = 0; f < indices.length; f += corners) {
    now.code(FACE);
    for (let k = 0; k < corners; k++) {
      const i = indices[f + k];
      now.code(SPACE);
      now.whole(i + v);
      if (uvs ?? normals) now.code(SLASH);
      if (uvs) now.whole(i + vt);
      if (!normals) continue;
      now.code(SLASH);
      now.whole(i + vn);
    }
    text.end();
  }
  next.v += positions.length / 3;
  if (uvs) next.vt += uvs.length / 2;
  if (normals) next.vn += normals.length / 3;
}

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

/** Powers of ten that doubles hold exactly. */
const TENS = Array.from({ length: 23 }, (_, k) => Number(`1e${k}`));

/** Lines as nearly all of a file's are: one blank between numbers, no exponents, nothing behind them. What is anything else is left to the slow way. */
class PlainLines {
  /** Where the line behind the last one begins. */
  next = 0;
  readonly numbers = new Float64Array(3);
  private at = 0;

  constructor(private readonly bytes: Uint8Array) {}

  /** A line of `v` and three numbers. */
  place(at: number): boolean {
    const { bytes } = this;
    if (bytes[at] !== 118 || bytes[at + 1] !== SPACE) return false;
    this.at = at + 2;
    for (let k = 0; k < 3; k++) {
      if (k > 0 && bytes[this.at++] !== SPACE) return false;
      const value = this.decimal();
      if (Number.isNaN(value)) return false;
      this.numbers[k] = value;
    }
    return this.ends();
  }

  /** A line of `f` and three corners, each the number of a vertex, what else belongs to it behind a stroke. */
  triangle(at: number): boolean {
    const { bytes } = this;
    if (bytes[at] !== FACE || bytes[at + 1] !== SPACE) return false;
    this.at = at + 2;
    for (let k = 0; k < 3; k++) {
      if (k > 0 && bytes[this.at++] !== SPACE) return false;
      const n = this.whole();
      if (!(n >= 1)) return false;
      this.numbers[k] = n;
      for (let more = 0; more < 2 && bytes[this.at] === SLASH; more++) {
        this.at++;
        if (bytes[this.at] !== SLASH && this.whole() < 0) return false;
      }
    }
    return this.ends();
  }

  private ends(): boolean {
    if (this.bytes[this.at] !== NEW_LINE) return false;
    this.next = this.at + 1;
    return true;
  }

  /** Up to nine digits; −1 where there are none, or more. */
  private whole(): number {
    const { bytes } = this;
    const from = this.at;
    let n = 0;
    for (let c = bytes[this.at]; c >= 48 && c <= 57; c = bytes[++this.at]) n = 10 * n + c - 48;
    return this.at > from && this.at - from <= 9 ? n : -1;
  }

  /** A number of up to fifteen digits: two whole numbers that doubles hold, one over the other, are rounded once, as `Number` rounds (Clinger 1990). */
  private decimal(): number {
    const { bytes } = this;
    const minus = bytes[this.at] === 45;
    if (minus) this.at++;
    const from = this.at;
    let n = 0;
    let point = -1;
    let c = bytes[this.at];
    for (; (c >= 48 && c <= 57) || (c === 46 && point < 0); c = bytes[++this.at]) {
      if (c === 46) point = this.at;
      else n = 10 * n + c - 48;
    }
    const digits = this.at - from - (point < 0 ? 0 : 1);
    if (digits < 1 || digits > 15) return NaN;
    const value = point < 0 ? n : n / TENS[this.at - point - 1];
    return minus ? -value : value;
  }
}

/** Characters of one statement, lines that go on included. */
const LONGEST = 1 << 20;

function read(given: Uint8Array<ArrayBuffer>): Mesh {
  const bytes = plainText(given);
  const positions = new Numbers(new Float64Array(3072), (n) => new Float64Array(n));
  const whole = () => new Numbers(new Uint32Array(3072), (n) => new Uint32Array(n));
  const triangles = whole();
  const quads = whole();
  const plain = new PlainLines(bytes);
  let onlyQuads = true;
  let line = 0;
  let at = 0;
  const wrong = (what: string) => new UplandError('damaged', `This OBJ is damaged in line ${line}: ${what}.`, { line });
  const statement = (): string => {
    let text = '';
    for (;;) {
      const { end, next } = lineAt(bytes, at);
      if (end - at + text.length > LONGEST) throw wrong(`it is longer than ${LONGEST} characters`);
      const part = textOf(bytes, at, end);
      at = next;
      line++;
      const trimmed = part.trimEnd();
      if (!trimmed.endsWith('\\') || at >= bytes.length) return text + part;
      text += `${trimmed.slice(0, -1)} `;
    }
  };
  // Line by line over slices, so that a file of hundreds of megabytes never becomes one string.
  while (at < bytes.length) {
    // What is neither a place nor a face is passed over unread.
    const first = bytes[at];
    if (first !== 118 && first !== 102 && first !== 32 && first !== 9) {
      const { next } = lineAt(bytes, at);
      at = next;
      line++;
      continue;
    }
    // Nearly every line of a large file is a place or a triangle as most programs print them: read as bytes, without a string.
    if (plain.place(at)) {
      positions.push(plain.numbers[0]);
      positions.push(plain.numbers[1]);
      positions.push(plain.numbers[2]);
      at = plain.next;
      line++;
      continue;
    }
    if (plain.triangle(at)) {
      onlyQuads = false;
      for (let k = 0; k < 3; k++) triangles.push(plain.numbers[k] - 1);
      at = plain.next;
      line++;
      continue;
    }
    let text = statement();
    const remark = text.indexOf('#');
    if (remark >= 0) text = text.slice(0, remark);
    const words = text.trim().split(/\s+/);
    if (words[0] === 'v') {
      if (words.length < 4) throw wrong('a vertex has fewer than three numbers');
      for (let k = 1; k <= 3; k++) {
        const value = Number(words[k]);
        if (Number.isNaN(value)) throw wrong(`${quoted(words[k])} is not a number`);
        if (Math.abs(value) > 3e38) throw wrong(`${quoted(words[k])} is larger than any place`);
        positions.push(value);
      }
    } else if (words[0] === 'f') {
      if (words.length < 4) throw wrong('a face has fewer than three corners');
      const count = positions.length / 3;
      const corners = words.slice(1).map((word) => {
        const match = /^(-?\d{1,10})(\/-?\d*){0,2}$/.exec(word);
        const n = match ? Number(match[1]) : 0;
        const index = n < 0 ? count + n : n - 1;
        if (!(index >= 0)) throw wrong(`${quoted(word)} is not the number of a vertex`);
        return index;
      });
      if (corners.length === 4) for (const c of corners) quads.push(c);
      else onlyQuads = false;
      for (let k = 2; k < corners.length; k++) {
        triangles.push(corners[0]);
        triangles.push(corners[k - 1]);
        triangles.push(corners[k]);
      }
    }
  }
  if (positions.length === 0) throw new UplandError('no-vertices', 'This OBJ has no vertices.');
  if (triangles.length === 0) throw new UplandError('no-faces', 'This OBJ has vertices but no faces.');
  const places = placesOf(positions.done());
  const indices = (onlyQuads ? quads : triangles).done().slice();
  const vertices = places.positions.length / 3;
  for (let i = 0; i < indices.length; i++) {
    if (indices[i] >= vertices) throw new UplandError('mesh-index', `This OBJ is damaged: a face names vertex ${indices[i] + 1}, and there are ${vertices}.`);
  }
  return { ...places, indices, corners: onlyQuads ? 4 : 3, up: guessUp(places.positions) };
}

/** Ground is wider than it is high: the axis with the smallest extent is up; y where that does not tell. */
export function guessUp(positions: Float32Array): 'y' | 'z' {
  let [minY, maxY, minZ, maxZ] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    minY = Math.min(minY, positions[i + 1]);
    maxY = Math.max(maxY, positions[i + 1]);
    minZ = Math.min(minZ, positions[i + 2]);
    maxZ = Math.max(maxZ, positions[i + 2]);
  }
  return maxZ - minZ < maxY - minY ? 'z' : 'y';
}
