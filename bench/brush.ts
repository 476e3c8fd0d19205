import { makeGround } from '../core/field/ground';
import { makeBrush } from '../core/steps/sculpt/brush';
import { StrokeOnSurface } from '../core/steps/sculpt/stroke';
import { Surface } from '../core/steps/sculpt/surface';
import { inPairs, timed, type Row } from './pairs';

const N = 4096;

/** Dabs of 200 samples' radius along a stroke on a large ground. */
export async function brushRows(): Promise<Row[]> {
  const ground = makeGround({ across: N, down: N, width: N, depth: N, registration: 'area' });
  const beneath = new Float32Array(N * N);
  for (let y = 0; y < N; y++) for (let x = 0; x < N; x++) beneath[y * N + x] = 300 * Math.sin(x / 300) * Math.cos(y / 200);
  const rows: Row[] = [];
  for (const [kind, strength, ms] of [
    ['raise', 2, 1],
    ['smooth', 0.4, 4],
  ] as const) {
    const stroke = new StrokeOnSurface(new Surface(ground, beneath, new Map()), makeBrush({ kind, radius: 200, strength, softness: 0.8 }), 1);
    let n = 0;
    const dab = () => stroke.dab([1000 + ((50 * n) % 1800), 1500 + 7 * (n++ % 40)]);
    for (let k = 0; k < 80; k++) await dab();
    rows.push(await inPairs(`dab ${kind}, radius 200, ${N}²`, () => timed(dab), null, { ms }, 101));
  }
  return rows;
}
