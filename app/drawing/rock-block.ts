import { bedTable, upliftOf, type Ground, type Rock } from '@upland-cast/core';
import { ROCK_RAMP } from './drapes';
import { rampPixels } from './ramp';

/** A block of ground, cut open: its top from the south-west and above, its south and its east side. */
export interface BlockSource {
  ground: Ground;
  /** Metres over the datum. */
  height: Float32Array;
}

/** Columns and rows of the top that are drawn. */
const PARTS = 150;
/** The block comes down to this share of the picture. */
const UNDER = 0.96;

/** Draws the block into RGBA pixels: rock by its hardness, the top under a light from the north-west. */
export function drawRockBlock(rock: Rock | null, { ground, height }: BlockSource, width: number, rows: number): Uint8ClampedArray<ArrayBuffer> {
  const pixels = new Uint8ClampedArray(4 * width * rows);
  let [lowest, highest] = [Infinity, -Infinity];
  for (const h of height) [lowest, highest] = [Math.min(lowest, h), Math.max(highest, h)];
  const side = Math.max(ground.width, ground.depth);
  // Heights are drawn so large that the relief can be told, at most four times; the sentence beside it says so.
  const drawn = blockExaggeration(ground, highest - lowest);
  const unit = (0.66 * width) / ground.width;
  const up = unit * drawn;
  const [slantX, slantY] = [(0.3 * width) / ground.depth, (0.3 * rows) / ground.depth];
  const back = 0.36 * rows;
  const under = Math.max(0.1 * rows, UNDER * rows - back - (highest - lowest) * up);
  const floor = lowest - under / up;
  const hardAt = hardnessOf(rock, ground, floor, highest);
  const top = back + (highest - lowest) * up;
  const put = penOver(pixels, width, rows);
  const heightAt = (east: number, south: number) => {
    const column = Math.min(ground.across - 1, Math.max(0, Math.round((east / ground.width) * (ground.across - 1))));
    const row = Math.min(ground.down - 1, Math.max(0, Math.round((south / ground.depth) * (ground.down - 1))));
    return height[row * ground.across + column];
  };
  const place = (east: number, south: number, level: number): [number, number] => [
    0.02 * width + east * unit + (ground.depth - south) * slantX,
    top - (level - lowest) * up - (ground.depth - south) * slantY,
  ];
  const near = side / PARTS;
  // The top from the far edge to the near one: what stands before it hides it.
  const stepSouth = Math.min(ground.depth / PARTS, 0.5 / slantY);
  for (let south = 0; south <= ground.depth; south += stepSouth) {
    for (let east = 0; east <= ground.width; east += 0.7 / unit) {
      const h = heightAt(east, south);
      const [gx, gy] = [
        (heightAt(east + near, south) - heightAt(east - near, south)) / (2 * near),
        (heightAt(east, south + near) - heightAt(east, south - near)) / (2 * near),
      ];
      const light = 0.35 + 0.75 * Math.max(0, (0.55 * gx * drawn + 0.55 * gy * drawn + 0.65) / Math.sqrt(1 + drawn * drawn * (gx * gx + gy * gy)));
      const [x, y] = place(east, south, h);
      const hard = hardAt(east, south, h);
      for (let k = 0; k < 3 + Math.abs(gy) * stepSouth * up; k++) put(x, y + k, hard, Math.min(1.1, light));
    }
  }
  for (let south = 0; south <= ground.depth; south += 0.5 / slantX) cut(ground.width, south, 0.8);
  for (let east = 0; east <= ground.width; east += 0.5 / unit) cut(east, ground.depth, 0.95);
  return pixels;

  function cut(east: number, south: number, light: number): void {
    const h = heightAt(east, south);
    const [x, from] = place(east, south, h);
    const [, to] = place(east, south, floor);
    for (let y = from; y <= to; y++) put(x, y, hardAt(east, south, h - (y - from) / up), light);
  }
}

/** Puts a pixel down: rock of a hardness, 0 to 1, under a light. */
function penOver(pixels: Uint8ClampedArray, width: number, rows: number): (x: number, y: number, hard: number, light: number) => void {
  const ramp = rampPixels(ROCK_RAMP);
  return (x, y, hard, light) => {
    const [px, py] = [Math.round(x), Math.round(y)];
    if (px < 0 || py < 0 || px >= width || py >= rows) return;
    const k = 4 * Math.min(255, Math.max(0, Math.round(255 * hard)));
    const i = 4 * (py * width + px);
    for (let c = 0; c < 3; c++) pixels[i + c] = ramp[k + c] * light;
    pixels[i + 3] = 255;
  };
}

/** How hard the rock is at a place and a height; the same everywhere where there are no beds. */
function hardnessOf(rock: Rock | null, ground: Ground, lowest: number, highest: number): (east: number, south: number, level: number) => number {
  if (!rock) return () => 0.35;
  const upliftAt = upliftOf(rock, ground);
  const lifts = [];
  for (let k = 0; k <= 24; k++) for (let j = 0; j <= 24; j++) lifts.push(upliftAt((k / 24) * ground.width, (j / 24) * ground.depth));
  const table = bedTable(rock, lowest - Math.max(...lifts), highest - Math.min(...lifts));
  return (east, south, level) => {
    const at = (level - upliftAt(east, south) - table.low) / table.step;
    return table.hardness[Math.max(0, Math.min(table.hardness.length - 1, Math.round(at)))];
  };
}

/** How many times as high the block is drawn. */
export const blockExaggeration = ({ width }: Pick<Ground, 'width'>, relief: number): number =>
  Math.max(1, Math.min(4, Math.round((0.16 * width) / Math.max(1, relief))));
