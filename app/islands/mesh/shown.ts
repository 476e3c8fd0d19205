import type { MeshPicture, Pixels } from '../../drawing/pictures';
import type { Look } from '../../view/mesh-view';

/** A mesh that was just written, to press it again. */
export interface Made {
  name: string;
  files: { name: string; bytes: Uint8Array<ArrayBuffer> }[];
}

/** What the picture shows, and what it can be held against. */
export interface Shown {
  picture: MeshPicture;
  high?: MeshPicture;
  error?: Pixels;
  normal?: Pixels;
  /** Turns the picture to this look. */
  look?: Look;
}
