import type { ByteSource } from '../../formats/source';
import type { Kernels } from '../../kernels/pool';
import type { Mesh } from '../mesh';
import type { Model, MeshFrame } from '../model/model';

/** PNG pictures that a mesh is textured with; both lie over the whole ground by its texture coordinates. */
export interface Textures {
  normal?: Uint8Array<ArrayBuffer>;
  colour?: Uint8Array<ArrayBuffer>;
}

export interface MeshFile {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
  mediaType: string;
}

/** How a mesh is packed; a format lists those that it takes. */
export interface MeshOptions {
  /** Packed by EXT_meshopt_compression, without loss. */
  packed?: boolean;
  /** Positions in 16 bits, normals in 8, UVs in 16 (KHR_mesh_quantization): what that costs is measured on the file. */
  quantised?: boolean;
}

/** A mesh format: one file beside this one, and one line in `index.ts`. */
export interface MeshFormat {
  id: string;
  title: string;
  endings: string[];
  mediaType: string;
  /** Whether faces with four corners survive in it. */
  quads: boolean;
  /** Whether it holds several meshes, water of its own, and pictures. */
  textured: boolean;
  /** Whether its vertices can have colours. */
  colours: boolean;
  options: readonly (keyof MeshOptions)[];
  /** The axes and the hand that its readers take for granted, and why; left out: any. */
  axes?: Pick<MeshFrame, 'up' | 'handed'> & { reason: string };
  sniff(bytes: Uint8Array): boolean;
  /** `beside`: the files that were brought in together with it, by their names in small letters. */
  read(bytes: Uint8Array<ArrayBuffer>, beside?: ReadonlyMap<string, Uint8Array<ArrayBuffer>>): Mesh;
  /** One mesh as one file, without pictures. */
  encode(mesh: Mesh, name: string): Uint8Array<ArrayBuffer>;
  /** A model as files: the first is the mesh, then those that belong beside it. */
  write(model: Pick<Model, 'parts' | 'frame'>, name: string, textures: Textures, options: MeshOptions, kernels?: Kernels): Promise<MeshFile[]>;
  /** For files that are many times what they hold: the same as `write` and `read`, piece by piece, so that a file is never whole in memory. */
  inPieces?: {
    write(model: Pick<Model, 'parts' | 'frame'>, name: string, textures: Textures, kernels: Kernels): AsyncGenerator<Uint8Array<ArrayBuffer>>;
    /** What belongs beside the file. */
    beside(model: Pick<Model, 'parts'>, name: string, textures: Textures): MeshFile[];
    read(source: ByteSource, kernels: Kernels): Promise<Mesh>;
  };
}
