// Medians of small square windows as straight lines of minima and maxima: Batcher's merge
// exchange (Knuth, The Art of Computer Programming 3, 5.2.2 M) for the window's samples, with
// everything left out that the middle one does not depend on.

/** Pairs to compare so that `n` values end up sorted. */
function mergeExchange(n) {
  const pairs = [];
  const t = Math.ceil(Math.log2(n));
  for (let p = 1 << (t - 1); p > 0; p >>= 1) {
    let q = 1 << (t - 1);
    let r = 0;
    let d = p;
    for (;;) {
      for (let i = 0; i + d < n; i++) if ((i & p) === r) pairs.push([i, i + d]);
      if (q === p) break;
      d = q - p;
      q >>= 1;
      r = p;
    }
  }
  return pairs;
}

/** The part of a network that the value at `wanted` depends on: [i, j, keeps the smaller, keeps the larger]. */
function pruned(pairs, wanted) {
  const needed = new Set([wanted]);
  const out = [];
  for (const [i, j] of [...pairs].reverse()) {
    const low = needed.has(i);
    const high = needed.has(j);
    if (!low && !high) continue;
    out.push([i, j, low, high]);
    needed.add(i).add(j);
  }
  return out.reverse();
}

/** Text of the pairs' minima and maxima. */
function statements(network) {
  return network.map(([i, j, low, high]) => {
    if (low && high) return `t = f32x4.pmin(v${i}, v${j}); v${j} = f32x4.pmax(v${i}, v${j}); v${i} = t;`;
    return low ? `v${i} = f32x4.pmin(v${i}, v${j});` : `v${j} = f32x4.pmax(v${i}, v${j});`;
  });
}

/**
 * With every column of the window sorted and then every row, the value at (r, c) has at least
 * (r + 1)(c + 1) − 1 values that are no larger and (n − r)(n − c) − 1 that are no smaller. Those
 * that cannot be the middle one drop out, as many on either side; the others are sorted.
 */
function medianOfColumns(side) {
  const at = (r, c) => r * side + c;
  const half = (side * side - 1) / 2;
  const pairs = [];
  for (let r = 0; r < side; r++) for (const [i, j] of mergeExchange(side)) pairs.push([at(r, i), at(r, j)]);
  const candidates = [];
  for (let r = 0; r < side; r++) {
    for (let c = 0; c < side; c++) {
      if ((r + 1) * (c + 1) - 1 <= half && (side - r) * (side - c) - 1 <= half) candidates.push(at(r, c));
    }
  }
  for (const [i, j] of mergeExchange(candidates.length)) pairs.push([candidates[i], candidates[j]]);
  const middle = candidates[candidates.length >> 1];
  return { network: pruned(pairs, middle), middle };
}

function medianFunction(side) {
  const rows = Array.from({ length: side }, (_, y) => y);
  const columnSort = mergeExchange(side).map(([i, j]) => [i, j, true, true]);
  const { network, middle } = medianOfColumns(side);
  const needed = [...new Set(network.flatMap(([i, j]) => [i, j]))].sort((a, b) => a - b);
  return `
/**
 * Medians of ${side} × ${side} samples. \`source\` is padded by ${side >> 1} on every side; \`count\` samples a row
 * are written, in whole vectors. \`scratch\`: ${side} rows of \`stride\` floats, a band's own: the
 * columns of the row in work, sorted once for all the windows that share them.
 */
export function medianRows${side}(source: usize, scratch: usize, out: usize, stride: i32, outStride: i32, from: i32, to: i32, count: i32): void {
  const line = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    let t: v128;
    const first = source + <usize>row * line;
    for (let c: usize = 0; c < line; c += 16) {
      ${rows.map((y) => `let v${y} = v128.load(first + ${y} * line + c);`).join('\n      ')}
      ${statements(columnSort).join('\n      ')}
      ${rows.map((y) => `v128.store(scratch + ${y} * line + c, v${y});`).join('\n      ')}
    }
    let target = out + ((<usize>row * <usize>outStride) << 2);
    for (let c: usize = 0; c < <usize>count << 2; c += 16, target += 16) {
      ${needed.map((v) => `let v${v} = v128.load(scratch + ${Math.floor(v / side)} * line + c, ${4 * (v % side)});`).join('\n      ')}
      ${statements(network).join('\n      ')}
      v128.store(target, v${middle});
    }
  }
}
`;
}

/** The source text of the functions for windows of these sides. */
export function medianNetworks(sides) {
  return `// Made by scripts/median-networks.mjs.\n${sides.map(medianFunction).join('')}`;
}
