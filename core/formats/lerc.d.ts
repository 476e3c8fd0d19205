/** The part of the library that is used here; version 3 brings no types of its own. */
declare module 'lerc' {
  export interface LercPixels {
    width: number;
    height: number;
    pixels: ArrayLike<number>[];
    mask: Uint8Array | null;
  }
  export function decode(input: ArrayBuffer, options?: { inputOffset?: number }): LercPixels;
}
