// Pages of the documentation that are made from the code: steps and masks from their schemas, errors from their list.
import { ERROR_CODES, FAMILIES, JOIN_MODES, maskKinds, paramsOf, steps, type Family, type ParamMeta } from '@upland-cast/core';

function takes(meta: ParamMeta): string {
  if (meta.choices)
    return Object.entries(meta.choices)
      .map(([key, title]) => `\`${key}\` ${title.toLowerCase()}`)
      .join(', ');
  if (meta.min === undefined)
    return { switch: 'on or off', asset: 'a file', tributary: 'a side line', curve: 'points', line: 'points' }[meta.kind as string] ?? '';
  return `${meta.min} … ${meta.max}${meta.kind === 'ratio' ? '' : ` ${meta.unit}`}`.trim();
}

function table(schema: (typeof steps)[number]['params']): string {
  const rows = paramsOf(schema).filter(({ meta }) => meta.kind !== 'hidden');
  if (rows.length === 0) return '';
  const text = (value: unknown) => (typeof value === 'object' ? '' : String(value));
  return [
    '| setting | key | takes | at first | |',
    '| --- | --- | --- | --- | --- |',
    ...rows.map(({ key, meta, value }) => `| ${meta.label} | \`${key}\` | ${takes(meta)} | ${text(value)} | ${meta.help ?? ''} |`),
    '',
  ].join('\n');
}

const alsoCalled = (finds: readonly string[]) => (finds.length ? `Found by: ${finds.join(', ')}.` : '');

/** The page's text. */
export function stepsPage(): string {
  const lines = [
    '# Every step',
    '',
    'Made by `npm run docs` from the steps themselves; a test holds it to them. Lengths and heights in metres, angles in degrees, shares from 0 to 1. Keys are those of `upland-cast apply --set KEY=VALUE`.',
    '',
  ];
  for (const family of Object.keys(FAMILIES) as Family[]) {
    lines.push(`## ${FAMILIES[family]}`, '');
    for (const step of steps.filter((s) => s.family === family)) {
      lines.push(`### ${step.title} (\`${step.id}\`)`, '', step.summary, '', alsoCalled(step.finds), '', table(step.params));
      if (step.presets.length) lines.push(`To begin from: ${step.presets.map((p) => p.name).join(', ')}.`, '');
    }
  }
  lines.push('## Where a step acts', '', 'Several masks are multiplied, added, or the larger counts; every one can be inverted, equalised and given gain.', '');
  for (const kind of maskKinds) lines.push(`### ${kind.title} (\`${kind.id}\`)`, '', kind.summary, '', alsoCalled(kind.finds), '', table(kind.params));
  lines.push('## How it joins', '', ...Object.entries(JOIN_MODES).map(([key, title]) => `- \`${key}\`: ${title.toLowerCase()}`), '');
  return `${lines
    .filter((l, i) => l !== '' || lines[i - 1] !== '')
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trimEnd()}\n`;
}

/** The page of error codes. */
export function errorsPage(): string {
  const rows = Object.entries(ERROR_CODES).map(([code, meaning]) => `| \`${code}\` | ${meaning} |`);
  return [
    '# Errors',
    '',
    'Every refusal is an `UplandError`: a code for programs, a sentence for the person, and the facts behind it. Made by `npm run docs` from `core/error-codes.ts`; a new error begins with a line there. The command exits 1 with the sentence on stderr; the server answers with `{ code, sentence }`.',
    '',
    '| code | raised when |',
    '| --- | --- |',
    ...rows,
    '',
  ].join('\n');
}
