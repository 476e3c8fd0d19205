/** A quad is held against the ground at no more than this many places a side. */
const LOOKS: f64 = 4;

@inline
function heightAt(height: usize, x: i32, y: i32, across: i32): f64 {
  return <f64>load<f32>(height + (((y * across + x) as usize) << 2));
}

/** The ground between its samples, at the edge that of the outermost. */
function between(height: usize, across: i32, down: i32, x: f64, y: f64): f64 {
  const cx = min<f64>(<f64>(across - 1), max<f64>(0, x));
  const cy = min<f64>(<f64>(down - 1), max<f64>(0, y));
  const x0 = <i32>floor(cx);
  const y0 = <i32>floor(cy);
  const u = cx - <f64>x0;
  const v = cy - <f64>y0;
  const x1 = x0 + 1 < across ? x0 + 1 : x0;
  const y1 = y0 + 1 < down ? y0 + 1 : y0;
  const nw = heightAt(height, x0, y0, across);
  const sw = heightAt(height, x0, y1, across);
  const north = nw + (heightAt(height, x1, y0, across) - nw) * u;
  const south = sw + (heightAt(height, x1, y1, across) - sw) * u;
  return north + (south - north) * v;
}

function vertexLine(height: usize, across: i32, down: i32, stepX: f64, y: f64, pad: f64, vertices: i32, line: usize): void {
  for (let x = 0; x <= vertices; x++) store<f32>(line + ((x as usize) << 2), <f32>between(height, across, down, <f64>x * stepX - pad, y));
}

/** The most that the two triangles of a quad lie off the samples under it. */
function quadError(height: usize, across: i32, down: i32, stepX: f64, stepY: f64, x0: f64, y0: f64, a: f64, b: f64, c: f64, d: f64): f64 {
  const strideX = max<i32>(1, <i32>floor(stepX / LOOKS));
  const strideY = max<i32>(1, <i32>floor(stepY / LOOKS));
  const toX = <i32>min<f64>(<f64>(across - 1), floor(x0 + stepX));
  const toY = <i32>min<f64>(<f64>(down - 1), floor(y0 + stepY));
  const fromX = max<i32>(0, <i32>ceil(x0));
  const quadsX = 1 / stepX;
  const quadsY = 1 / stepY;
  const stride = (strideX as usize) << 2;
  const step = <f64>strideX * quadsX;
  let worst: f64 = 0;
  for (let sy = max<i32>(0, <i32>ceil(y0)); sy <= toY; sy += strideY) {
    const v = (<f64>sy - y0) * quadsY;
    let u = (<f64>fromX - x0) * quadsX;
    const near = a + v * (c - a);
    const far = d + (1 - v) * (b - d);
    let at = height + (((sy * across + fromX) as usize) << 2);
    for (let sx = fromX; sx <= toX; sx += strideX) {
      const drawn = u + v <= 1 ? near + u * (b - a) : far + (1 - u) * (c - d);
      worst = max<f64>(worst, abs<f64>(<f64>load<f32>(at) - drawn));
      u += step;
      at += stride;
    }
  }
  return worst;
}

/**
 * How far the patches of one level lie off the ground at the most, for the rows of patches `from` … `to` − 1; a patch has `quads` quads along its
 * side, and a quad `stepX` by `stepY` samples. `line` has room for two lines of vertices.
 */
export function patchRows(
  height: usize,
  across: i32,
  down: i32,
  stepX: f64,
  stepY: f64,
  pad: f64,
  quads: i32,
  patches: i32,
  from: i32,
  to: i32,
  line: usize,
  out: usize,
): void {
  const all = quads * patches;
  const vertices = min<i32>(all, <i32>ceil((pad > 0 ? <f64>across + pad : <f64>max<i32>(1, across - 1)) / stepX));
  const bytes = (all + 1) << 2;
  let upper = line;
  let lower = line + bytes;
  vertexLine(height, across, down, stepX, <f64>(from * quads) * stepY - pad, pad, vertices, upper);
  for (let row = from * quads; row < to * quads; row++) {
    const y0 = <f64>row * stepY - pad;
    if (y0 >= <f64>(down - 1)) break;
    vertexLine(height, across, down, stepX, <f64>(row + 1) * stepY - pad, pad, vertices, lower);
    for (let x = 0; x < vertices; x++) {
      const at = (x as usize) << 2;
      const worst = quadError(
        height,
        across,
        down,
        stepX,
        stepY,
        <f64>x * stepX - pad,
        y0,
        <f64>load<f32>(upper + at),
        <f64>load<f32>(upper + at, 4),
        <f64>load<f32>(lower + at),
        <f64>load<f32>(lower + at, 4),
      );
      const patch = out + (((row / quads) * patches + x / quads) << 2);
      if (worst > <f64>load<f32>(patch)) store<f32>(patch, <f32>worst);
    }
    const swap = upper;
    upper = lower;
    lower = swap;
  }
}
