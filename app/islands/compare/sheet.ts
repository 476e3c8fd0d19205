import type { Comparison, Course, LandReport, PartsReport } from '@upland-cast/core';
import type { ComparedPicture } from '../../engine/api';

const escaped = (text: string) => text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** The figures of a land report that one line can hold. */
const flat = ({ slope, spectrum, hollows, ...land }: LandReport) => ({
  'slope, half under, degrees': slope.q50,
  'slope, one in twenty over, degrees': slope.q95,
  level: land.flat,
  'eight-fold': land.eightFold,
  'four-fold': land.fourFold,
  'in hollows': hollows.share,
  'spectrum, large forms': spectrum.large,
  'spectrum, small forms': spectrum.small,
});

const partsOf = ({ parts, findings }: PartsReport, side: string) =>
  `<h2>Parts of ${side.toUpperCase()}</h2>${findings.map(({ sentence }) => `<p>${escaped(sentence)}</p>`).join('')}<table>${parts
    .map(
      ({ name, triangles, width, depth, off }) =>
        `<tr><th>${escaped(name)}</th><td>${triangles} triangles</td><td>${width.toFixed(2)} × ${depth.toFixed(2)} m</td><td>${off ? `${off.rmse.toPrecision(3)} m off` : ''}</td></tr>`,
    )
    .join('')}</table>`;

/** A comparison as a sheet to hand on: everything that was measured and found. */
export function sheetOf(
  course: Course,
  comparison: Comparison,
  found: ComparedPicture,
  land: { a: LandReport; b: LandReport } | null,
  tolerance: number,
  kind: 'html' | 'json',
): { text: string; type: string } {
  const { a, b, between, fit, left, findings, laid, sizes, facts } = found;
  const verdict = tolerance > 0 ? { tolerance, within: between.maxAbs <= tolerance } : undefined;
  const whole = {
    terrain: course.name,
    sides: { a: comparison.a, b: comparison.b },
    sizes,
    laid,
    findings,
    a,
    b,
    between,
    fit,
    left,
    facts,
    ...(land ? { land } : {}),
    ...(verdict ? { verdict } : {}),
  };
  if (kind === 'json') return { text: JSON.stringify(whole, null, 2), type: 'application/json' };
  const rows = (of: object) =>
    Object.entries(of)
      .filter(([, value]) => typeof value === 'number')
      .map(([key, value]) => `<tr><th>${escaped(key)}</th><td>${Number((value as number).toPrecision(8))}</td></tr>`)
      .join('');
  const table = (title: string, of: object) => `<h2>${escaped(title)}</h2><table>${rows(of)}</table>`;
  const percentiles = between.percentiles
    .map(({ share, within }) => `<tr><th>${100 * share} % within</th><td>${Number(within.toPrecision(6))}</td></tr>`)
    .join('');
  return {
    text: `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escaped(course.name)}: a comparison</title>
<style>body{font:15px/1.5 system-ui,sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem;color:#22292b;background:#fbf9f3}table{border-collapse:collapse}th{text-align:left;font-weight:400;padding:2px 2rem 2px 0;color:#5a6360}td{text-align:right;font-variant-numeric:tabular-nums}</style>
<h1>${escaped(course.name)}: a comparison</h1>
${findings.map(({ sentence }) => `<p>${escaped(sentence)}</p>`).join('\n')}
${verdict ? `<p><b>${verdict.within ? `Within ${tolerance} m everywhere.` : `Not within ${tolerance} m.`}</b></p>` : ''}
${table('A', a)}${table('B', b)}${table('B − A, metres', between)}<table>${percentiles}</table>
${land ? (['a', 'b'] as const).map((side) => table(`${side.toUpperCase()} as land`, flat(land[side]))).join('') : ''}
${(['a', 'b'] as const).map((side) => [facts[side].codes && table(`Codes of ${side.toUpperCase()}`, facts[side].codes), facts[side].parts && partsOf(facts[side].parts, side)].filter(Boolean).join('')).join('')}
</html>
`,
    type: 'text/html',
  };
}
