import { BYTES, type SampleType } from '../formats/format';
import { getter } from '../formats/raw';

export interface RawCandidate {
  /** A layout as `--as` takes it. */
  as: string;
  /** 0 to 1: how much it looks like ground. */
  score: number;
}

/**
 * The ways to read raw bytes that their count allows, best first: every type and byte order
 * with every shape near a square. Scored by the share of the variance that neighbouring
 * samples do not share, along rows and down columns: a wrong type or byte order looks like
 * noise, a wrong width like torn rows.
 */
export function rankRawReadings(bytes: Uint8Array, most = 8): RawCandidate[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const found: RawCandidate[] = [];
  for (const type of ['u16', 's16', 'f32', 'u8', 'u32', 's32', 'f64'] as SampleType[]) {
    const size = BYTES[type];
    if (bytes.length % size !== 0) continue;
    const count = bytes.length / size;
    for (const [width, height] of shapes(count)) {
      for (const order of size === 1 ? (['le'] as const) : (['le', 'be'] as const)) {
        const score = roughScore(getter(view, type, order === 'le'), size, width, height, type[0] === 'f' ? 1e9 : Infinity);
        if (score > 0) found.push({ as: `raw:${type}:${order}:${width}x${height}`, score });
      }
    }
  }
  return found.sort((a, b) => b.score - a.score).slice(0, most);
}

/** Shapes of exactly `count` samples, at most four times as long as wide. */
function shapes(count: number): [number, number][] {
  const out: [number, number][] = [];
  const root = Math.floor(Math.sqrt(count));
  for (let a = root; a >= Math.max(2, root / 2); a--) {
    if (count % a !== 0) continue;
    out.push([count / a, a]);
    if (count / a !== a) out.push([a, count / a]);
  }
  return out;
}

/** `most`: numbers beyond it are no heights. */
function roughScore(get: (at: number) => number, size: number, width: number, height: number, most: number): number {
  const strideY = Math.max(1, Math.floor(height / 256));
  let sum = 0;
  let squares = 0;
  let along = 0;
  let down = 0;
  let n = 0;
  for (let row = 0; row + 1 < height; row += strideY) {
    for (let column = 0; column + 1 < width; column++) {
      const at = (row * width + column) * size;
      const v = get(at);
      const e = get(at + size);
      const s = get(at + width * size);
      if (!(Math.abs(v) < most && Math.abs(e) < most && Math.abs(s) < most)) return 0;
      sum += v;
      squares += v * v;
      along += (v - e) * (v - e);
      down += (v - s) * (v - s);
      n++;
    }
  }
  if (n === 0) return 0;
  const variance = squares / n - (sum / n) * (sum / n);
  // Tiny floats are bytes of something else.
  if (!(variance > 1e-12)) return 0;
  return 1 / (1 + Math.sqrt(Math.max(along, down) / n / variance));
}
