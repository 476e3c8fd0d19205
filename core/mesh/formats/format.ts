import type { Mesh } from '../mesh';

export interface MeshFormat {
  id: string;
  title: string;
  endings: string[];
  mediaType: string;
  /** Whether faces with four corners survive in it. */
  quads: boolean;
  /** Whether it holds several meshes and what they wear: pictures, water of its own. */
  wears: boolean;
  sniff(bytes: Uint8Array): boolean;
  /** `beside`: the files that were brought in together with it, by their names in small letters. */
  read(bytes: Uint8Array<ArrayBuffer>, beside?: ReadonlyMap<string, Uint8Array<ArrayBuffer>>): Mesh;
  write(mesh: Mesh, name: string): Uint8Array<ArrayBuffer>;
}
