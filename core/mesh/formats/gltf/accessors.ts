import { MeshoptDecoder } from 'meshoptimizer';
import { quoted, UplandError } from '../../../errors';
import { checkUnpacked } from '../../../formats/limits';

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };

interface View {
  buffer: number;
  byteOffset?: number;
  byteLength: number;
  byteStride?: number;
  extensions?: {
    EXT_meshopt_compression?: { buffer: number; byteOffset?: number; byteLength: number; byteStride: number; count: number; mode: string; filter?: string };
  };
}

/** Values of an accessor that stand in place of others (glTF 2.0, 3.6.2.3). */
interface Sparse {
  count: number;
  indices?: { bufferView?: number; byteOffset?: number; componentType: number };
  values?: { bufferView?: number; byteOffset?: number };
}

/** What is read of a glTF's JSON; anything in it may be missing or of another kind. */
export interface Gltf {
  asset?: { version?: string };
  scene?: number;
  scenes?: { nodes?: number[] }[];
  nodes?: { mesh?: number; children?: number[]; matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }[];
  meshes?: { primitives?: { attributes?: Record<string, number>; indices?: number; mode?: number; extensions?: Record<string, unknown> }[] }[];
  accessors?: { bufferView?: number; byteOffset?: number; componentType: number; count: number; type: string; normalized?: boolean; sparse?: Sparse }[];
  bufferViews?: View[];
  buffers?: { byteLength: number; uri?: string }[];
  extensionsRequired?: string[];
}

/** A number out of the file, which may be anything. */
export const numbered = (index: unknown): string => (typeof index === 'number' ? String(index) : index === undefined ? '(none)' : quoted(String(index)));

export const damaged = (what: string) => new UplandError('damaged', `This glTF is damaged: ${what}.`);

const GET: Record<number, (data: DataView, at: number) => number> = {
  5120: (data, at) => data.getInt8(at),
  5121: (data, at) => data.getUint8(at),
  5122: (data, at) => data.getInt16(at, true),
  5123: (data, at) => data.getUint16(at, true),
  5125: (data, at) => data.getUint32(at, true),
  5126: (data, at) => data.getFloat32(at, true),
};
/** What whole numbers are divided by where they are normalised (glTF 2.0, 3.11). */
const FULL: Record<number, number> = { 5120: 127, 5121: 255, 5122: 32_767, 5123: 65_535 };

/** Bytes from a place on, as a DataView takes them. */
const spanOf = (bytes: Uint8Array, from: number): [ArrayBuffer, number, number] => {
  if (!(from >= 0 && from <= bytes.length)) throw damaged('a view ends before its values begin');
  return [bytes.buffer as ArrayBuffer, bytes.byteOffset + from, bytes.length - from];
};

/** The numbers of a glTF: its buffers, in the file or beside it, the views of them, and the accessors that say what their bytes are. */
export class Accessors {
  private readonly buffers = new Map<number, Uint8Array>();
  private readonly unpacked = new Map<number, Uint8Array>();
  private spent = 0;

  /** `binary`: the binary chunk of a GLB. `length`: bytes of all files together, against which what is unpacked is held. */
  constructor(
    private readonly gltf: Gltf,
    private readonly binary: Uint8Array<ArrayBuffer> | undefined,
    private readonly beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>>,
    private readonly length: number,
  ) {}

  /** Counts the bytes that are made room for: instances and strides can make much out of little. */
  spend(bytes: number): void {
    checkUnpacked('glTF', this.length, (this.spent += bytes));
  }

  private buffer(index: number): Uint8Array {
    let found = this.buffers.get(index);
    if (!found) this.buffers.set(index, (found = this.loadBuffer(index)));
    return found;
  }

  private loadBuffer(index: number): Uint8Array {
    const { uri } = this.gltf.buffers?.[index] ?? {};
    if (uri === undefined && index === 0 && this.binary) return this.binary;
    if (uri !== undefined && typeof uri !== 'string') throw damaged('a buffer has no address');
    if (uri?.startsWith('data:')) {
      const text = atob(uri.slice(uri.indexOf(',') + 1));
      const out = new Uint8Array(text.length);
      for (let i = 0; i < out.length; i++) out[i] = text.charCodeAt(i);
      return out;
    }
    const found =
      uri === undefined
        ? undefined
        : this.beside.get(
            decodeURIComponent(uri)
              .replace(/^.*[\\/]/, '')
              .toLowerCase(),
          );
    if (found) return found;
    throw damaged(uri === undefined ? 'its buffer is missing' : `its buffer is missing; bring ${quoted(uri)} in together with it`);
  }

  private partOf(index: number | undefined, { buffer, byteOffset = 0, byteLength }: Pick<View, 'buffer' | 'byteOffset' | 'byteLength'>): Uint8Array {
    const whole = this.buffer(buffer);
    if (!(byteOffset >= 0 && byteLength >= 0 && byteOffset + byteLength <= whole.length))
      throw damaged(`the view ${numbered(index)} reaches beyond its buffer`);
    return whole.subarray(byteOffset, byteOffset + byteLength);
  }

  /** The bytes of a view, unpacked where they are packed. */
  private bytesOf(index: number | undefined): { bytes: Uint8Array; stride?: number } {
    const v = index === undefined ? undefined : this.gltf.bufferViews?.[index];
    if (!v) throw damaged(`the view ${numbered(index)} is missing`);
    const packed = v.extensions?.EXT_meshopt_compression;
    if (!packed) return { bytes: this.partOf(index, v), stride: v.byteStride };
    let own = this.unpacked.get(index!);
    if (!own) {
      const { count, byteStride, mode, filter } = packed;
      if (!(count >= 0 && byteStride > 0 && byteStride <= 256)) throw damaged(`the view ${numbered(index)} is packed with sizes that cannot be`);
      const source = this.partOf(index, packed);
      this.spend(count * byteStride);
      // The codec makes at most 1 : 256 or so; refuse before making room.
      if (count * byteStride > 4096 * (source.length + 64)) throw damaged(`the view ${numbered(index)} cannot hold as much as it says`);
      own = new Uint8Array(count * byteStride);
      try {
        MeshoptDecoder.decodeGltfBuffer(own, count, byteStride, source, mode, filter);
      } catch (error) {
        throw damaged(`the view ${numbered(index)} cannot be unpacked (${String(error)})`);
      }
      this.unpacked.set(index!, own);
    }
    return { bytes: own, stride: packed.mode === 'ATTRIBUTES' ? packed.byteStride : undefined };
  }

  /** The values of an accessor: places or directions, three floats each, or whole numbers. */
  read(index: number | undefined, type: 'VEC3' | 'SCALAR'): Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer> {
    const a = index === undefined ? undefined : this.gltf.accessors?.[index];
    if (!a) throw damaged(`the accessor ${numbered(index)} is missing`);
    if (a.type !== type || !COMPONENT_BYTES[a.componentType]) throw damaged(`the accessor ${numbered(index)} is of a kind that is not read here`);
    const parts = type === 'VEC3' ? 3 : 1;
    if (!(Number.isInteger(a.count) && a.count >= 0)) throw damaged(`the accessor ${numbered(index)} has no count`);
    this.spend(4 * parts * a.count);
    if (a.bufferView === undefined) {
      if (!a.sparse) throw damaged(`the accessor ${numbered(index)} has no data`);
      return this.withSparse(parts === 3 ? new Float32Array(a.count * 3) : new Uint32Array(a.count), a, parts, index!);
    }
    const { bytes, stride: own } = this.bytesOf(a.bufferView);
    const size = COMPONENT_BYTES[a.componentType];
    const stride = own ?? size * parts;
    const start = a.byteOffset ?? 0;
    // A stride of 0 would make any count of vertices out of one.
    if (!(start >= 0) || !(stride >= size * parts) || start + Math.max(0, a.count - 1) * stride + size * parts > bytes.length) {
      throw damaged(`the accessor ${numbered(index)} reaches beyond its buffer`);
    }
    const out = parts === 3 ? new Float32Array(a.count * 3) : new Uint32Array(a.count);
    const at = bytes.byteOffset + start;
    const plain = stride === size * parts && at % 4 === 0;
    if (plain && a.componentType === 5126 && parts === 3) out.set(new Float32Array(bytes.buffer, at, out.length));
    else if (plain && a.componentType === 5125 && parts === 1) out.set(new Uint32Array(bytes.buffer, at, out.length));
    else {
      const data = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      const get = GET[a.componentType];
      for (let i = 0; i < a.count; i++) for (let k = 0; k < parts; k++) out[i * parts + k] = get(data, start + i * stride + k * size);
      const full = a.normalized ? FULL[a.componentType] : undefined;
      if (full && parts === 3) for (let i = 0; i < out.length; i++) out[i] = Math.max(-1, out[i] / full);
    }
    return a.sparse ? this.withSparse(out, a, parts, index!) : out;
  }

  /** Puts the values that stand in place of others where they belong. */
  private withSparse<T extends Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer>>(
    out: T,
    { count, componentType, sparse, normalized }: NonNullable<Gltf['accessors']>[number],
    parts: number,
    index: number,
  ): T {
    const { indices, values, count: n } = sparse!;
    const wrong = () => damaged(`the sparse values of accessor ${numbered(index)} reach beyond their buffer`);
    if (!indices || !values || !(Number.isInteger(n) && n >= 0 && n <= count)) throw wrong();
    const at = new DataView(...spanOf(this.bytesOf(indices.bufferView).bytes, indices.byteOffset ?? 0));
    const from = new DataView(...spanOf(this.bytesOf(values.bufferView).bytes, values.byteOffset ?? 0));
    const [wide, size] = [COMPONENT_BYTES[indices.componentType], COMPONENT_BYTES[componentType]];
    if (!wide || n * wide > at.byteLength || n * size * parts > from.byteLength) throw wrong();
    const full = normalized ? FULL[componentType] : undefined;
    for (let k = 0; k < n; k++) {
      const place = GET[indices.componentType](at, k * wide);
      if (!(place >= 0 && place < count)) throw wrong();
      for (let p = 0; p < parts; p++) {
        const value = GET[componentType](from, (k * parts + p) * size);
        out[place * parts + p] = full ? Math.max(-1, value / full) : value;
      }
    }
    return out;
  }
}
