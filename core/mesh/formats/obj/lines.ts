import { concat } from '../../../concat';
import { DecimalWriter } from '../../../formats/decimal';
import type { LineKind } from '../../../kernels/programs/mesh-lines';
import type { Mesh } from '../../mesh';

/** Bytes that are put together at a time. */
const PIECE = 1 << 20;

const [NEW_LINE, SPACE, SLASH, FACE] = [10, 32, 47, 102];

/** Text that grows line by line, as bytes. */
export class Lines {
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

/** The numbers that the first entries of an object have. */
export type FirstNumbers = Record<'v' | 'vt' | 'vn', number>;

/** Colours behind the place, as shares of full (common practice). */
const share = (code: number) => String(Math.round((code / 255) * 1e5) / 1e5);

/** The lines `from` … `to` − 1 of one kind, for a mesh that has them. */
export function putLines(text: Lines, kind: LineKind, mesh: Mesh, from: number, to: number, first: FirstNumbers): void {
  const { now } = text;
  const { positions, normals, uvs, colours, indices, corners } = mesh;
  const numbers = (word: string, ...values: number[]) => {
    now.text(word);
    for (const value of values) {
      now.code(SPACE);
      now.number(value);
    }
  };
  for (let i = from; i < to; i++) {
    if (kind === 'v') {
      numbers('v', positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]);
      if (colours) now.text(` ${share(colours[3 * i])} ${share(colours[3 * i + 1])} ${share(colours[3 * i + 2])}`);
    } else if (kind === 'vt') numbers('vt', uvs![2 * i], 1 - uvs![2 * i + 1]);
    else if (kind === 'vn') {
      now.text('vn');
      for (let k = 3 * i; k < 3 * i + 3; k++) {
        now.code(SPACE);
        now.fixed6(normals![k]);
      }
    } else {
      now.code(FACE);
      for (let k = corners * i; k < corners * (i + 1); k++) {
        now.code(SPACE);
        now.whole(indices[k] + first.v);
        if (uvs ?? normals) now.code(SLASH);
        if (uvs) now.whole(indices[k] + first.vt);
        if (!normals) continue;
        now.code(SLASH);
        now.whole(indices[k] + first.vn);
      }
    }
    text.end();
  }
}

/** Lines of every kind that a mesh has, in the order that they are written. */
export function linesOf({
  positions,
  normals,
  uvs,
  indices,
  corners,
}: Mesh): { kind: LineKind; lines: number; each: number; numbers: Float32Array | Uint32Array }[] {
  const kinds = [
    { kind: 'v', each: 3, numbers: positions },
    { kind: 'vt', each: 2, numbers: uvs },
    { kind: 'vn', each: 3, numbers: normals },
    { kind: 'f', each: corners, numbers: indices },
  ] as const;
  return kinds.flatMap(({ kind, each, numbers }) => (numbers ? [{ kind, each, numbers, lines: numbers.length / each }] : []));
}
