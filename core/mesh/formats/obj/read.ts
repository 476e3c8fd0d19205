import { quoted, UplandError } from '../../../errors';
import { lineAt, plainText, textOf } from '../../../formats/text';
import type { ReadLines } from '../../../kernels/programs/mesh-lines';
import type { Mesh } from '../../mesh';
import { Numbers, placesOf } from '../places';

const [NEW_LINE, RETURN, SPACE, SLASH, FACE, PLACE] = [10, 13, 32, 47, 102, 118];

/** Powers of ten that doubles hold exactly. */
const TENS = Array.from({ length: 23 }, (_, k) => Number(`1e${k}`));

/** Lines as nearly all of a file's are: one blank between numbers, no exponents, nothing behind them. What is anything else is left to the slow way. */
class PlainLines {
  /** Where the line behind the last one begins. */
  next = 0;
  readonly numbers = new Float64Array(3);
  private at = 0;

  constructor(private readonly bytes: Uint8Array) {}

  /** A line of texture coordinates, a normal or a place in space that is nothing of the mesh's own: passed over unless it goes on in the next one. */
  other(at: number): boolean {
    const { bytes } = this;
    if (bytes[at] !== PLACE || (bytes[at + 1] !== 116 && bytes[at + 1] !== 110 && bytes[at + 1] !== 112)) return false;
    const { end, next } = lineAt(bytes, at);
    this.next = next;
    return !textOf(bytes, Math.max(at, end - 8), end)
      .trimEnd()
      .endsWith('\\');
  }

  /** A line of `v` and three numbers. */
  place(at: number): boolean {
    const { bytes } = this;
    if (bytes[at] !== PLACE || bytes[at + 1] !== SPACE) return false;
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
    if (this.bytes[this.at] === RETURN) this.at++;
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

const whole = () => new Numbers(new Uint32Array(3072), (n) => new Uint32Array(n));

/** An OBJ that is read piece by piece, whole statements each. */
export class ObjReading {
  private readonly places = new Numbers(new Float64Array(3072), (n) => new Float64Array(n));
  private readonly triangles = whole();
  private readonly quads = whole();
  private onlyQuads = true;
  private line = 0;

  /** Lines that have been read on the kernels. */
  take({ places, corners, each, lines }: ReadLines): void {
    this.places.add(places);
    this.line += lines;
    if (each === 3) {
      this.onlyQuads = false;
      this.triangles.add(corners);
    } else for (let f = 0; f < corners.length; f += 4) this.face(corners.subarray(f, f + 4));
  }

  /** Text in which anything may stand, on this thread. */
  read(bytes: Uint8Array): void {
    const plain = new PlainLines(bytes);
    // Line by line over slices, so that a file of hundreds of megabytes never becomes one string.
    for (let at = 0; at < bytes.length;) {
      const first = bytes[at];
      // Nearly every line of a large file is a place or a triangle as most programs print them: read as bytes, without a string.
      if (plain.place(at)) for (let k = 0; k < 3; k++) this.places.push(plain.numbers[k]);
      else if (plain.triangle(at)) {
        this.onlyQuads = false;
        for (let k = 0; k < 3; k++) this.triangles.push(plain.numbers[k] - 1);
      } else if (!plain.other(at)) {
        at = first === PLACE || first === FACE || first === SPACE || first === 9 ? this.statement(bytes, at) : this.passOver(bytes, at);
        continue;
      }
      at = plain.next;
      this.line++;
    }
  }

  done(): Mesh {
    if (this.places.length === 0) throw new UplandError('no-vertices', 'This OBJ has no vertices.');
    if (this.triangles.length + this.quads.length === 0) throw new UplandError('no-faces', 'This OBJ has vertices but no faces.');
    const places = placesOf(this.places.done());
    const indices = (this.onlyQuads ? this.quads : this.triangles).done().slice();
    const vertices = places.positions.length / 3;
    for (let i = 0; i < indices.length; i++) {
      if (indices[i] >= vertices) throw new UplandError('mesh-index', `This OBJ is damaged: a face names vertex ${indices[i] + 1}, and there are ${vertices}.`);
    }
    return { ...places, indices, corners: this.onlyQuads ? 4 : 3, up: guessUp(places.positions) };
  }

  /** What is neither a place nor a face is passed over unread. */
  private passOver(bytes: Uint8Array, at: number): number {
    this.line++;
    return lineAt(bytes, at).next;
  }

  /** A statement over one line or several; where the next one begins. */
  private statement(bytes: Uint8Array, from: number): number {
    let text = '';
    let at = from;
    for (let more = true; more;) {
      const { end, next } = lineAt(bytes, at);
      if (end - at + text.length > LONGEST) throw this.wrong(`it is longer than ${LONGEST} characters`);
      const part = textOf(bytes, at, end);
      at = next;
      this.line++;
      const trimmed = part.trimEnd();
      more = trimmed.endsWith('\\') && at < bytes.length;
      text += more ? `${trimmed.slice(0, -1)} ` : part;
    }
    const remark = text.indexOf('#');
    const words = (remark < 0 ? text : text.slice(0, remark)).trim().split(/\s+/);
    if (words[0] === 'v') this.place(words);
    else if (words[0] === 'f') this.corners(words);
    return at;
  }

  private place(words: readonly string[]): void {
    if (words.length < 4) throw this.wrong('a vertex has fewer than three numbers');
    for (let k = 1; k <= 3; k++) {
      const value = Number(words[k]);
      if (Number.isNaN(value)) throw this.wrong(`${quoted(words[k])} is not a number`);
      if (Math.abs(value) > 3e38) throw this.wrong(`${quoted(words[k])} is larger than any place`);
      this.places.push(value);
    }
  }

  private corners(words: readonly string[]): void {
    if (words.length < 4) throw this.wrong('a face has fewer than three corners');
    const count = this.places.length / 3;
    this.face(
      words.slice(1).map((word) => {
        const match = /^(-?\d{1,10})(\/-?\d*){0,2}$/.exec(word);
        const n = match ? Number(match[1]) : 0;
        const index = n < 0 ? count + n : n - 1;
        if (!(index >= 0)) throw this.wrong(`${quoted(word)} is not the number of a vertex`);
        return index;
      }),
    );
  }

  /** Four corners are kept as they are until a face has another number of them. */
  private face(corners: ArrayLike<number>): void {
    if (corners.length !== 4) this.onlyQuads = false;
    if (this.onlyQuads) for (let k = 0; k < 4; k++) this.quads.push(corners[k]);
    for (let k = 2; k < corners.length; k++) {
      this.triangles.push(corners[0]);
      this.triangles.push(corners[k - 1]);
      this.triangles.push(corners[k]);
    }
  }

  private wrong(what: string): UplandError {
    return new UplandError('damaged', `This OBJ is damaged in line ${this.line}: ${what}.`, { line: this.line });
  }
}

export function read(bytes: Uint8Array<ArrayBuffer>): Mesh {
  const reading = new ObjReading();
  reading.read(plainText(bytes));
  return reading.done();
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
