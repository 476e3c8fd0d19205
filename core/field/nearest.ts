/** Where a sample's nearest marked one lies: which it is, and how far, metres; −1 and Infinity where nothing is marked. */
export interface Nearest {
  index: Int32Array<ArrayBuffer>;
  distance: Float32Array<ArrayBuffer>;
}

/**
 * The nearest marked sample of every sample, by vectors handed on from neighbour to neighbour in two passes (Danielsson 1980, "Euclidean distance
 * mapping", with eight neighbours): exact but for rare places, where it is a small part of a sample too far.
 */
export function nearestMarked(marked: Uint8Array, across: number, down: number, spacing: { x: number; y: number }): Nearest {
  const index = new Int32Array(marked.length).fill(-1);
  const distance = new Float32Array(marked.length).fill(Infinity);
  for (let i = 0; i < marked.length; i++) if (marked[i]) [index[i], distance[i]] = [i, 0];
  const take = (i: number, row: number, column: number, from: number) => {
    const source = index[from];
    if (source < 0) return;
    const c = source % across;
    const dx = (column - c) * spacing.x;
    const dy = (row - (source - c) / across) * spacing.y;
    const far = Math.sqrt(dx * dx + dy * dy);
    if (far < distance[i]) [index[i], distance[i]] = [source, far];
  };
  const sweep = (rows: readonly number[], back: number) => {
    for (const row of rows) {
      const line = (columns: (visit: (column: number) => void) => void, side: number, upper: boolean) =>
        columns((column) => {
          const i = row * across + column;
          if (column + side >= 0 && column + side < across) take(i, row, column, i + side);
          if (!upper || row + back < 0 || row + back >= down) return;
          for (let x = -1; x <= 1; x++) if (column + x >= 0 && column + x < across) take(i, row, column, i + back * across + x);
        });
      line(
        (visit) => {
          for (let c = 0; c < across; c++) visit(c);
        },
        -1,
        true,
      );
      line(
        (visit) => {
          for (let c = across - 1; c >= 0; c--) visit(c);
        },
        1,
        false,
      );
    }
  };
  const rows = Array.from({ length: down }, (_, row) => row);
  sweep(rows, -1);
  sweep(rows.reverse(), 1);
  return { index, distance };
}
