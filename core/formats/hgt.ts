import { grouped } from '../grouped';
import { UplandError } from '../errors';
import type { Format, Page, Reading } from './format';

/** Samples a side of the elevation tiles there are: three arc seconds, and one. */
const SIDES = [1201, 3601];

/**
 * Elevation tile: 1201² or 3601² big-endian signed 16-bit metres, row by row from the north,
 * −32768 where there is none. Nothing in it says what it is but its size, and that is said.
 * Source: common practice; the layout from memory.
 */
export const hgt: Format = {
  id: 'hgt',
  title: 'Elevation tile',
  endings: ['.hgt'],
  mediaType: 'application/octet-stream',
  writes: ['s16'],
  carriesRange: true,
  sides: SIDES,
  sniff: (bytes) => SIDES.some((n) => bytes.length === n * n * 2),
  read: async (bytes) => read(bytes),
  write: async (page) => write(page),
};

function read(bytes: Uint8Array): Reading {
  const side = SIDES.find((n) => bytes.length === n * n * 2);
  if (!side) {
    throw new UplandError(
      'hgt-length',
      `This file has ${grouped(bytes.length)} bytes; an elevation tile has ${SIDES.map((n) => grouped(n * n * 2)).join(' or ')} (${SIDES.map((n) => `${n} × ${n}`).join(' or ')} samples).`,
    );
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const samples = new Int16Array(side * side);
  for (let i = 0; i < samples.length; i++) samples[i] = view.getInt16(2 * i);
  return {
    format: 'hgt',
    width: side,
    height: side,
    channels: 1,
    type: 's16',
    samples,
    unit: 'm',
    scale: 1,
    offset: 0,
    spacing: null,
    registration: 'point',
    noData: -32_768,
    odd: ['It was taken for an elevation tile by its size alone. Its samples lie a part of a degree apart: give their spacing in metres.'],
  };
}

function write({ width, height, samples, scale, offset }: Page): Uint8Array<ArrayBuffer> {
  if (!SIDES.includes(width) || width !== height) {
    throw new UplandError('hgt-size', `An elevation tile has ${SIDES.map((n) => `${n} × ${n}`).join(' or ')} samples; this ground has ${width} × ${height}.`);
  }
  if (scale !== 1 || offset !== 0) {
    throw new UplandError('hgt-metres', 'An elevation tile holds whole metres: write it with the range −32768 to 32767.');
  }
  const out = new Uint8Array(samples.length * 2);
  const view = new DataView(out.buffer);
  for (let i = 0; i < samples.length; i++) view.setInt16(2 * i, samples[i]);
  return out;
}
