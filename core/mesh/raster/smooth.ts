/**
 * A smooth surface through the corners of triangles: a cubic over each third of every triangle
 * (Clough & Tocher 1965, reduced: the slope across an edge runs straight along it), so that
 * heights and slopes meet across edges. The slope at a corner is that of the faces around it, by
 * their area in plan.
 *
 * Places are metres in plan; corners that lie at the same place are one.
 */
export class SmoothSurface {
  private readonly slopeX: Float64Array;
  private readonly slopeY: Float64Array;
  private readonly same: Uint32Array;

  constructor(
    private readonly x: Float64Array,
    private readonly y: Float64Array,
    private readonly z: Float64Array,
    indices: Uint32Array,
  ) {
    this.same = welded(x, y, z);
    this.slopeX = new Float64Array(x.length);
    this.slopeY = new Float64Array(x.length);
    const weight = new Float64Array(x.length);
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
      const [ux, uy, uz] = [x[b] - x[a], y[b] - y[a], z[b] - z[a]];
      const [vx, vy, vz] = [x[c] - x[a], y[c] - y[a], z[c] - z[a]];
      const area = ux * vy - uy * vx;
      const size = Math.abs(area);
      if (!(size > 1e-12)) continue;
      // The slope of the face, times its area.
      const sx = ((uz * vy - vz * uy) / area) * size;
      const sy = ((vz * ux - uz * vx) / area) * size;
      for (const corner of [a, b, c]) {
        const v = this.same[corner];
        this.slopeX[v] += sx;
        this.slopeY[v] += sy;
        weight[v] += size;
      }
    }
    for (let v = 0; v < x.length; v++) {
      if (weight[v] === 0) continue;
      this.slopeX[v] /= weight[v];
      this.slopeY[v] /= weight[v];
    }
  }

  /** The height over a triangle, for the shares of its corners. */
  over(a: number, b: number, c: number): (wa: number, wb: number, wc: number) => number {
    const { x, y, z, same, slopeX, slopeY } = this;
    const [p, q, r] = [same[a], same[b], same[c]];
    const along = (v: number, from: number, to: number) => slopeX[v] * (x[to] - x[from]) + slopeY[v] * (y[to] - y[from]);
    // Control heights of the three sides; the fourth digit counts the middle of the triangle.
    const c3000 = z[a];
    const c0300 = z[b];
    const c0030 = z[c];
    const c2100 = c3000 + along(p, a, b) / 3;
    const c2010 = c3000 + along(p, a, c) / 3;
    const c1200 = c0300 + along(q, b, a) / 3;
    const c0210 = c0300 + along(q, b, c) / 3;
    const c1020 = c0030 + along(r, c, a) / 3;
    const c0120 = c0030 + along(r, c, b) / 3;
    const c2001 = (c2100 + c2010 + c3000) / 3;
    const c0201 = (c1200 + c0300 + c0210) / 3;
    const c0021 = (c1020 + c0120 + c0030) / 3;
    // The slope straight across each side is the same from both of its triangles.
    const g0 = across(x, y, b, c, a);
    const g1 = across(x, y, c, a, b);
    const g2 = across(x, y, a, b, c);
    const c0111 = (g0 * (-c0300 + 3 * c0210 - 3 * c0120 + c0030) + (-c0300 + 2 * c0210 - c0120 + c0021 + c0201)) / 2;
    const c1011 = (g1 * (-c0030 + 3 * c1020 - 3 * c2010 + c3000) + (-c0030 + 2 * c1020 - c2010 + c2001 + c0021)) / 2;
    const c1101 = (g2 * (-c3000 + 3 * c2100 - 3 * c1200 + c0300) + (-c3000 + 2 * c2100 - c1200 + c2001 + c0201)) / 2;
    const c1002 = (c1101 + c1011 + c2001) / 3;
    const c0102 = (c1101 + c0111 + c0201) / 3;
    const c0012 = (c1011 + c0111 + c0021) / 3;
    const c0003 = (c1002 + c0102 + c0012) / 3;
    return (wa, wb, wc) => {
      const least = Math.min(wa, wb, wc);
      const [b1, b2, b3, b4] = [wa - least, wb - least, wc - least, 3 * least];
      return (
        b1 * b1 * (b1 * c3000 + 3 * (b2 * c2100 + b3 * c2010 + b4 * c2001)) +
        b2 * b2 * (b2 * c0300 + 3 * (b1 * c1200 + b3 * c0210 + b4 * c0201)) +
        b3 * b3 * (b3 * c0030 + 3 * (b1 * c1020 + b2 * c0120 + b4 * c0021)) +
        b4 * b4 * (b4 * c0003 + 3 * (b1 * c1002 + b2 * c0102 + b3 * c0012)) +
        6 * b4 * (b1 * b2 * c1101 + b1 * b3 * c1011 + b2 * b3 * c0111)
      );
    };
  }
}

/** For the side from b to c of a triangle with apex a: where the line square to it leads, in its shares (Farin 1986). */
function across(x: Float64Array, y: Float64Array, b: number, c: number, a: number): number {
  const [ex, ey] = [x[c] - x[b], y[c] - y[b]];
  const length = ex * ex + ey * ey;
  // How far along the side the apex stands: its shares change by (1, −1 + s, −s) on the way to it, square to the side.
  const s = length > 0 ? ((x[a] - x[b]) * ex + (y[a] - y[b]) * ey) / length : 0.5;
  return (2 * -s + (-1 + s)) / 3;
}

/** For every corner the first one that lies at the same place. */
function welded(x: Float64Array, y: Float64Array, z: Float64Array): Uint32Array {
  const count = x.length;
  let size = 1024;
  while (size < 2 * count) size *= 2;
  const table = new Int32Array(size).fill(-1);
  const bits = new Uint32Array(Float64Array.BYTES_PER_ELEMENT / 4);
  const number = new Float64Array(bits.buffer);
  const out = new Uint32Array(count);
  for (let v = 0; v < count; v++) {
    let hash = 2_166_136_261;
    for (const value of [x[v], y[v], z[v]]) {
      number[0] = value + 0;
      hash = Math.imul(hash ^ bits[0], 16_777_619);
      hash = Math.imul(hash ^ bits[1], 2_246_822_519);
      hash ^= hash >>> 15;
    }
    let at = (hash >>> 0) & (size - 1);
    for (;;) {
      const other = table[at];
      if (other < 0) {
        table[at] = v;
        out[v] = v;
        break;
      }
      if (x[other] === x[v] && y[other] === y[v] && z[other] === z[v]) {
        out[v] = other;
        break;
      }
      at = (at + 1) & (size - 1);
    }
  }
  return out;
}
