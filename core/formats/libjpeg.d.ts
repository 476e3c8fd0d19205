/** The part of the library that is used here; it brings no types of its own. */
declare module '@cornerstonejs/codec-libjpeg-turbo-8bit/decodewasmjs' {
  interface Decoder {
    getEncodedBuffer(length: number): Uint8Array;
    getDecodedBuffer(): Uint8Array;
    decode(): void;
    getFrameInfo(): { width: number; height: number; componentCount: number };
    delete(): void;
  }
  export interface Library {
    JPEGDecoder: new () => Decoder;
    HEAPU8: Uint8Array;
  }
  interface Options {
    print(line: string): void;
    printErr(line: string): void;
    instantiateWasm(imports: WebAssembly.Imports, done: (instance: WebAssembly.Instance, module: WebAssembly.Module) => void): object;
  }
  export default function factory(options: Options): Promise<Library>;
}
