import type { Field } from './field';

/** Where a map over three by three samples is known: nowhere that touches a hole; undefined where there are none. */
export function besideHoles({ ground: { across, down }, valid }: Field): Uint8Array<ArrayBuffer> | undefined {
  return valid?.map((own, i) => {
    const [row, column] = [Math.floor(i / across), i % across];
    for (let y = Math.max(0, row - 1); own && y <= Math.min(down - 1, row + 1); y++) {
      for (let x = Math.max(0, column - 1); x <= Math.min(across - 1, column + 1); x++) if (!valid[y * across + x]) return 0;
    }
    return own;
  });
}
