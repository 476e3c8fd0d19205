import type { Comparison, Course } from '@upland-cast/core';
import type { ComparedPicture } from '../../engine/api';

const escaped = (text: string) => text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** A comparison as a sheet to hand on: everything that was measured and found. */
export function sheetOf(
  course: Course,
  comparison: Comparison,
  found: ComparedPicture,
  tolerance: number,
  kind: 'html' | 'json',
): { text: string; type: string } {
  const { a, b, between, fit, left, findings, laid, sizes } = found;
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
</html>
`,
    type: 'text/html',
  };
}
