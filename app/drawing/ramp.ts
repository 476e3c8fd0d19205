/** The tint of the ground by height: lightness rises evenly from the low peat to the pale tops. */
export const TINT: readonly [number, string][] = [
  [0, '#4c6350'],
  [0.22, '#6b7d55'],
  [0.42, '#8f9261'],
  [0.6, '#b0a274'],
  [0.78, '#c8b896'],
  [0.92, '#dcd4c4'],
  [1, '#f0ede6'],
];

/** RGBA pixels of a ramp, `count` wide. */
export function rampPixels(stops: readonly [number, string][], count = 256): Uint8Array<ArrayBuffer> {
  const rgb = stops.map(([at, hex]) => [at, ...[1, 3, 5].map((k) => Number.parseInt(hex.slice(k, k + 2), 16))] as const);
  const out = new Uint8Array(count * 4);
  for (let i = 0; i < count; i++) {
    const t = i / (count - 1);
    const upper = Math.max(
      1,
      rgb.findIndex(([at]) => at >= t),
    );
    const a = rgb[upper - 1];
    const b = rgb[upper];
    const u = (t - a[0]) / (b[0] - a[0]);
    for (let k = 0; k < 3; k++) out[4 * i + k] = Math.round(a[k + 1] + u * (b[k + 1] - a[k + 1]));
    out[4 * i + 3] = 255;
  }
  return out;
}

/** A round number of metres, 1, 2 or 5 times a power of ten, that cuts `span` into about `parts`. */
export function roundInterval(span: number, parts: number): number {
  const raw = span / parts;
  if (!(raw > 0)) return 1;
  const power = 10 ** Math.floor(Math.log10(raw));
  const times = raw / power;
  return power * (times < 1.5 ? 1 : times < 3.5 ? 2 : times < 7.5 ? 5 : 10);
}
