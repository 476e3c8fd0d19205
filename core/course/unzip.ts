import { Unzip, UnzipInflate, UnzipPassThrough } from 'fflate';
import { quoted, UplandError } from '../errors';
import { concat } from '../concat';

/** Bytes of the archive that are unpacked between two looks at what has come out: deflate makes 16 MiB of them at the most. */
const STEP = 16_384;

/**
 * The wanted entries of a ZIP archive by name. `most` says how many bytes an entry may have, or
 * null for one that is not wanted; what comes out is counted as it is unpacked, whatever the
 * archive says of itself.
 */
export function unzipped(
  bytes: Uint8Array<ArrayBuffer>,
  most: (name: string) => number | null,
  damaged: () => UplandError,
): Map<string, Uint8Array<ArrayBuffer>> {
  const found = new Map<string, Uint8Array<ArrayBuffer>>();
  let fault: Error | undefined;
  const unzip = new Unzip((file) => {
    const limit = most(file.name);
    if (limit === null || found.has(file.name)) return;
    const parts: Uint8Array[] = [];
    let have = 0;
    file.ondata = (error, part, final) => {
      if (error) fault ??= damaged();
      if (fault || !part) return;
      have += part.length;
      if (have > limit) {
        fault = new UplandError(
          'project-size',
          `This project file would unpack to far more than it should: ${quoted(file.name)} in it comes to more than ${Math.round(limit / 2 ** 20)} MiB. It was not opened.`,
        );
        file.terminate();
        return;
      }
      parts.push(part);
      if (final) found.set(file.name, concat(parts));
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  unzip.register(UnzipPassThrough);
  try {
    for (let at = 0; at < bytes.length && !fault; at += STEP) unzip.push(bytes.subarray(at, at + STEP), at + STEP >= bytes.length);
  } catch {
    fault ??= damaged();
  }
  if (fault) throw fault;
  return found;
}
