import { UplandError } from '../../errors';
import { compress } from '../deflate';
import { BYTES, bytesOfSamples, isAsInMemory, type Page } from '../format';
import type { Image } from '../png';
import { putter } from '../raw';
import { applyPredictor } from './codecs';
import { KIND_BYTES, TAG, type TagToWrite } from './directory';
import { placeEntries } from './geotiff';

export function writeTiff({ width, height, type, samples, ground, scale, offset, noData, options }: Page): Uint8Array<ArrayBuffer> {
  const size = BYTES[type];
  const rowsPerStrip = Math.max(1, Math.min(height, Math.floor(262_144 / (width * size))));
  const deflated = options.compression === 'deflate';
  const predictor = deflated && size <= 4 ? (type[0] === 'f' ? 3 : 2) : 1;
  const copied = isAsInMemory(type, true);
  const own = bytesOfSamples(samples);
  const strips: Uint8Array[] = [];
  for (let top = 0; top < height; top += rowsPerStrip) {
    const rows = Math.min(rowsPerStrip, height - top);
    if (copied && !deflated) {
      strips.push(own.subarray(top * width * size, (top + rows) * width * size));
      continue;
    }
    const strip = copied ? own.slice(top * width * size, (top + rows) * width * size) : new Uint8Array(rows * width * size);
    if (!copied) {
      const put = putter(new DataView(strip.buffer), type, true);
      for (let i = 0, at = 0; i < rows * width; i++, at += size) put(at, samples[top * width + i]);
    }
    if (predictor > 1) applyPredictor(predictor, strip, width, rows, size);
    strips.push(deflated ? compress(strip) : strip);
  }
  const number = (v: number) => (Object.is(v, -0) ? '0' : String(v));
  const scaled = scale !== 1 || offset !== 0;
  const entries: TagToWrite[] = [
    { tag: TAG.width, kind: 4, values: [width] },
    { tag: TAG.height, kind: 4, values: [height] },
    { tag: TAG.bits, kind: 3, values: [size * 8] },
    { tag: TAG.compression, kind: 3, values: [deflated ? 8 : 1] },
    { tag: TAG.photometric, kind: 3, values: [1] },
    { tag: TAG.stripOffsets, kind: 4, values: strips.map(() => 0) },
    { tag: TAG.channels, kind: 3, values: [1] },
    { tag: TAG.rowsPerStrip, kind: 4, values: [rowsPerStrip] },
    { tag: TAG.stripBytes, kind: 4, values: strips.map((s) => s.length) },
    { tag: TAG.planar, kind: 3, values: [1] },
    ...(predictor > 1 ? [{ tag: TAG.predictor, kind: 3 as const, values: [predictor] }] : []),
    { tag: TAG.sampleFormat, kind: 3, values: [type[0] === 'u' ? 1 : type[0] === 's' ? 2 : 3] },
    ...placeEntries(ground),
    ...(scaled
      ? [
          {
            tag: TAG.gdalMetadata,
            kind: 2 as const,
            values: `<GDALMetadata><Item name="OFFSET" sample="0" role="offset">${number(offset)}</Item><Item name="SCALE" sample="0" role="scale">${number(scale)}</Item></GDALMetadata>\0`,
          },
        ]
      : []),
    ...(noData !== null ? [{ tag: TAG.noData, kind: 2 as const, values: `${number(noData)}\0` }] : []),
  ];
  return assemble(entries, strips);
}

/** A picture of several channels, side by side at every sample, packed by deflate with predictor 2; a fourth channel is alpha that stands by itself. */
export function tiffOf({ width, height, channels, samples }: Image): Uint8Array<ArrayBuffer> {
  const size = samples.BYTES_PER_ELEMENT;
  const rowsPerStrip = Math.max(1, Math.min(height, Math.floor(262_144 / (width * channels * size))));
  const strips: Uint8Array[] = [];
  for (let top = 0; top < height; top += rowsPerStrip) {
    const rows = Math.min(rowsPerStrip, height - top);
    const part = samples.subarray(top * width * channels, (top + rows) * width * channels);
    const strip = new Uint8Array(part.length * size);
    if (size === 1) strip.set(part);
    else for (let i = 0; i < part.length; i++) [strip[2 * i], strip[2 * i + 1]] = [part[i] & 255, part[i] >> 8];
    applyPredictor(2, strip, width, rows, size, channels);
    strips.push(compress(strip, 3));
  }
  const each = (value: number) => Array.from({ length: channels }, () => value);
  return assemble(
    [
      { tag: TAG.width, kind: 4, values: [width] },
      { tag: TAG.height, kind: 4, values: [height] },
      { tag: TAG.bits, kind: 3, values: each(8 * size) },
      { tag: TAG.compression, kind: 3, values: [8] },
      { tag: TAG.photometric, kind: 3, values: [channels === 1 ? 1 : 2] },
      { tag: TAG.stripOffsets, kind: 4, values: strips.map(() => 0) },
      { tag: TAG.channels, kind: 3, values: [channels] },
      { tag: TAG.rowsPerStrip, kind: 4, values: [rowsPerStrip] },
      { tag: TAG.stripBytes, kind: 4, values: strips.map((s) => s.length) },
      { tag: TAG.planar, kind: 3, values: [1] },
      { tag: TAG.predictor, kind: 3, values: [2] },
      ...(channels === 4 ? [{ tag: TAG.extraSamples, kind: 3 as const, values: [2] }] : []),
      { tag: TAG.sampleFormat, kind: 3, values: each(1) },
    ],
    strips,
  );
}

function assemble(entries: TagToWrite[], strips: Uint8Array[]): Uint8Array<ArrayBuffer> {
  const sizeOf = (e: TagToWrite) => e.values.length * KIND_BYTES[e.kind];
  const even = (n: number) => n + (n & 1);
  let at = 8 + 2 + entries.length * 12 + 4;
  const valueAt = entries.map((e) => {
    if (sizeOf(e) <= 4) return -1;
    const here = at;
    at += even(sizeOf(e));
    return here;
  });
  const offsets = entries.find((e) => e.tag === TAG.stripOffsets)!;
  offsets.values = strips.map((strip) => {
    const here = at;
    at += even(strip.length);
    return here;
  });
  if (at > 0xffffffff) throw new UplandError('too-large', 'A TIFF ends at 4 GiB, and this one would be larger. Write tiles, or fewer samples.');
  const bytes = new Uint8Array(at);
  const view = new DataView(bytes.buffer);
  bytes.set([0x49, 0x49, 42, 0]);
  view.setUint32(4, 8, true);
  view.setUint16(8, entries.length, true);
  entries.forEach((entry, i) => {
    const here = 10 + i * 12;
    view.setUint16(here, entry.tag, true);
    view.setUint16(here + 2, entry.kind, true);
    view.setUint32(here + 4, entry.values.length, true);
    let to = valueAt[i];
    if (to < 0) to = here + 8;
    else view.setUint32(here + 8, to, true);
    for (let k = 0; k < entry.values.length; k++) {
      const value = entry.values[k];
      if (typeof value === 'string') bytes[to + k] = value.charCodeAt(0);
      else if (entry.kind === 3) view.setUint16(to + 2 * k, value, true);
      else if (entry.kind === 4) view.setUint32(to + 4 * k, value, true);
      else view.setFloat64(to + 8 * k, value, true);
    }
  });
  strips.forEach((strip, i) => bytes.set(strip, (offsets.values as number[])[i]));
  return bytes;
}
