import { grouped } from '../grouped';
import type { Library } from '@cornerstonejs/codec-libjpeg-turbo-8bit/decodewasmjs';
import { UplandError } from '../errors';
import { decompress } from './deflate';
import { checkUnpacked } from './limits';

/** What a JPEG's frame header says (ITU-T T.81, B.2.2). `at`: where the header begins in the file. */
export interface JpegFrame {
  at: number;
  width: number;
  height: number;
  channels: 1 | 3;
  progressive: boolean;
  /** Coefficients for each sample of the picture: 3 where colour is as fine as brightness, 1.5 where it is halved both ways. */
  coefficients: number;
}

/** Size, channels and kind as the frame header has them. Throws `jpeg-kind` and `damaged`. */
export function frameOf(bytes: Uint8Array): JpegFrame {
  for (let at = 2; at + 10 <= bytes.length;) {
    if (bytes[at] !== 0xff) break;
    const marker = bytes[at + 1];
    if (marker === 0xff) {
      at++;
      continue;
    }
    const isFrame = marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc;
    if (isFrame) {
      const channels = bytes[at + 9];
      if (marker > 0xc2) throw new UplandError('jpeg-kind', 'This JPEG is of a kind that is not read here (lossless or arithmetic). Save it as PNG.');
      if (bytes[at + 4] !== 8) throw new UplandError('jpeg-kind', `This JPEG has ${bytes[at + 4]} bits a sample; 8 are read here.`);
      if (channels !== 1 && channels !== 3) throw new UplandError('jpeg-kind', `This JPEG has ${channels} channels; 1 and 3 are read here. Save it as PNG.`);
      return {
        at,
        height: (bytes[at + 5] << 8) | bytes[at + 6],
        width: (bytes[at + 7] << 8) | bytes[at + 8],
        channels,
        progressive: marker === 0xc2,
        coefficients: coefficientsOf(bytes.subarray(at + 10, at + 10 + 3 * channels)),
      };
    }
    at += 2 + ((bytes[at + 2] << 8) | bytes[at + 3]);
  }
  throw new UplandError('damaged', 'This JPEG is damaged: it does not say how large its picture is.');
}

function coefficientsOf(components: Uint8Array): number {
  let [across, down, sum] = [1, 1, 0];
  for (let k = 0; k + 1 < components.length; k += 3) {
    const [h, v] = [components[k + 1] >> 4, components[k + 1] & 15];
    [across, down, sum] = [Math.max(across, h), Math.max(down, v), sum + h * v];
  }
  return Math.max(1, sum / (across * down));
}

/** Scans after the frame header: a progressive picture is gone over once for each. */
export function scansOf(bytes: Uint8Array, from: number): number {
  let scans = 0;
  for (let at = bytes.indexOf(0xff, from); at >= 0 && at + 1 < bytes.length; at = bytes.indexOf(0xff, at + 1)) if (bytes[at + 1] === 0xda) scans++;
  return scans;
}

export interface JpegPicture {
  width: number;
  height: number;
  channels: 1 | 3;
  /** Channel beside channel, row by row. Lies in the decoder's own memory: it is gone once it was used. */
  samples: Uint8Array;
}

/** Bytes that any JPEG may take to unpack: photographs of 24 million samples come in 3 MB. */
const MOST_UNPACKED = 200 * 2 ** 20;
/** A progressive picture is sent in some ten scans; every one goes over the whole picture, so that thousands of empty ones would take hours. */
const MOST_SCANS = 64;

/** Refuses a JPEG that promises more than its bytes can hold, or would take far more time or memory than a file of its size honestly needs. */
function checkWork(bytes: Uint8Array, { at, width, height, channels, progressive, coefficients }: JpegFrame): void {
  const count = width * height;
  // A block of 64 samples takes two bits at the least; runs of empty ones in a progressive file somewhat less.
  if (count > 1024 * bytes.length + 65_536) {
    throw new UplandError('cut-short', `This JPEG is cut short: ${grouped(bytes.length)} bytes cannot hold the ${width} × ${height} samples it promises.`);
  }
  const scans = scansOf(bytes, at);
  if (scans > MOST_SCANS) throw new UplandError('jpeg-kind', `This JPEG sends its picture in ${scans} scans; ${MOST_SCANS} are the most. Save it as PNG.`);
  // The decoder holds the picture, and a progressive one's coefficients of 16 bits; one plane is made of it.
  const needed = count * (channels + 1 + (progressive ? 2 * coefficients : 0));
  checkUnpacked('JPEG', bytes.length, needed, Math.max(24, MOST_UNPACKED / bytes.length));
}

/** Memory of WebAssembly never shrinks: a library that has grown beyond this is let go after its picture (it begins with 50 MiB). */
const MOST_KEPT = 64 * 2 ** 20;

let library: Promise<Library> | undefined;
let compiled: Promise<WebAssembly.Module> | undefined;

async function begin(): Promise<Library> {
  const [{ default: factory }, { PACKED, BYTES }] = await Promise.all([
    import('@cornerstonejs/codec-libjpeg-turbo-8bit/decodewasmjs'),
    import('./generated/libjpeg'),
  ]);
  compiled ??= decompress(
    'decoder',
    Uint8Array.from(atob(PACKED), (c) => c.charCodeAt(0)),
    BYTES,
  ).then((binary) => WebAssembly.compile(binary));
  const code = await compiled;
  return factory({
    print: () => undefined,
    printErr: () => undefined,
    instantiateWasm: (imports, done) => {
      void WebAssembly.instantiate(code, imports).then((instance) => done(instance, code));
      return {};
    },
  });
}

/**
 * Decodes a baseline or progressive JPEG by libjpeg-turbo and hands the picture to `use`, whose
 * result is given back. `colour`: whether three channels are brightness and two of colour; left
 * out, as the file itself has it. Throws `damaged` where its data ends early or breaks off, and
 * refuses what would take more than it can honestly hold.
 */
export async function decodeJpeg<T>(bytes: Uint8Array, use: (picture: JpegPicture) => T, colour?: boolean): Promise<T> {
  const frame = frameOf(bytes);
  checkWork(bytes, frame);
  const parts = colour === undefined || frame.channels === 1 ? [bytes] : [bytes.subarray(0, frame.at), transformMarker(colour), bytes.subarray(frame.at)];
  library ??= begin();
  const lib = await library;
  const decoder = new lib.JPEGDecoder();
  try {
    const encoded = decoder.getEncodedBuffer(parts.reduce((sum, part) => sum + part.length, 0));
    let at = 0;
    for (const part of parts) {
      encoded.set(part, at);
      at += part.length;
    }
    decodeOrRefuse(decoder);
    const { width, height, componentCount } = decoder.getFrameInfo();
    const samples = decoder.getDecodedBuffer();
    if (width !== frame.width || height !== frame.height || componentCount !== frame.channels || samples.length < width * height * frame.channels) {
      throw new UplandError('damaged', 'This JPEG is damaged: its parts do not go together.');
    }
    return use({ width, height, channels: frame.channels, samples });
  } finally {
    decoder.delete();
    if (lib.HEAPU8.length > MOST_KEPT) library = undefined;
  }
}

function decodeOrRefuse(decoder: { decode(): void }): void {
  try {
    decoder.decode();
  } catch (error) {
    throw new UplandError('damaged', 'This JPEG is damaged, or of a kind that is not read here: its data ends early or breaks off.', { reason: String(error) });
  }
}

/** The marker APP14 (ITU-T T.872, 6.5.3), which says how three channels are meant: five letters, version 100, no flags, the transform. */
const transformMarker = (colour: boolean) => new Uint8Array([0xff, 0xee, 0, 14, 0x41, 0x64, 0x6f, 0x62, 0x65, 0, 100, 0, 0, 0, 0, colour ? 1 : 0]);
