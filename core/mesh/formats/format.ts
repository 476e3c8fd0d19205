import type { Mesh } from '../mesh';

export interface MeshFormat {
  id: string;
  title: string;
  endings: string[];
  mediaType: string;
  /** Whether faces with four corners survive in it. */
  quads: boolean;
  sniff(bytes: Uint8Array): boolean;
  read(bytes: Uint8Array<ArrayBuffer>): Mesh;
  write(mesh: Mesh, name: string): Uint8Array<ArrayBuffer>;
}
