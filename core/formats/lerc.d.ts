/** The part of the library that is used here; version 3 brings no types of its own. */
declare module 'lerc' {
  export interface LercPixels {
    width: number;
    height: number;
    pixels: ArrayLike<number>[];
    mask: Uint8Array | null;
  }
  const lerc: { decode(input: ArrayBuffer, options?: { inputOffset?: number }): LercPixels };
  export default lerc;
}
