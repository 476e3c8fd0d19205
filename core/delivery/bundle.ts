import { Zip, ZipPassThrough, ZipDeflate } from 'fflate';
import { UplandError } from '../errors';

/** A file of a bundle. */
export interface BundleFile {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
}

/** Files that are packed already; the others are packed on their way into the bundle. */
const PACKED = /\.(png|exr|glb|jpg|npz|zip)$/i;

/**
 * A ZIP out of files as they come, in pieces for `write`: nothing but the file that is being
 * written is held. Always the same bytes for the same files. Two files of one name are refused.
 */
export async function bundle(
  files: AsyncIterable<BundleFile> | Iterable<BundleFile>,
  write: (piece: Uint8Array<ArrayBuffer>) => Promise<void> | void,
): Promise<string[]> {
  let fault: Error | undefined;
  let pieces: Uint8Array<ArrayBuffer>[] = [];
  const zip = new Zip((error, piece) => {
    if (error) fault = error;
    else pieces.push(piece as Uint8Array<ArrayBuffer>);
  });
  const drain = async () => {
    const now = pieces;
    pieces = [];
    for (const piece of now) if (piece.length) await write(piece);
    if (fault) throw new UplandError('bundle', `The bundle could not be written: ${fault.message}.`);
  };
  const names: string[] = [];
  for await (const { name, bytes } of files) {
    if (names.includes(name)) throw new UplandError('bundle', `Two files of the bundle are called ${name}. Give one of them another name.`);
    names.push(name);
    const entry = PACKED.test(name) ? new ZipPassThrough(name) : new ZipDeflate(name, { level: 6 });
    entry.mtime = new Date('2000-01-01T00:00:00');
    zip.add(entry);
    // In pieces, so that a large file is not held twice.
    const PIECE = 1 << 22;
    for (let at = 0; at < bytes.length || at === 0; at += PIECE) {
      entry.push(bytes.subarray(at, at + PIECE), at + PIECE >= bytes.length);
      await drain();
    }
  }
  zip.end();
  await drain();
  return names;
}
