import { spacingOf } from '../field/ground';
import type { Field } from '../field/field';
import { statistics } from '../field/statistics';
import { formatById } from '../formats';
import { CODES } from '../formats/format';
import { displacementRatio } from '../mesh/grid';
import type { Delivery } from './deliver';
import { metresPerCode } from './encode';

export interface DocketLine {
  label: string;
  value: string;
}

export interface Docket {
  terrain: string;
  file: string;
  receiver: string;
  /** What the other side has to type in. */
  toTypeIn: DocketLine[];
  ground: DocketLine[];
  proof: DocketLine[];
  madeBy: DocketLine[];
}

const number = (value: number, digits = 2) => value.toLocaleString('en-GB', { maximumFractionDigits: digits }).replaceAll(',', '\u2009').replace('-', '−');

/** The sheet that goes with a delivery: every number the other side types in, the ground, and the proof. */
export function makeDocket(terrain: string, receiver: string, field: Field, delivery: Delivery, steps: { title: string; caption: string }[]): Docket {
  const { encoding, proof, name } = delivery;
  const { ground } = field;
  const spacing = spacingOf(ground);
  const { lowest, highest } = statistics(field);
  const codes = CODES[encoding.type];
  const format = formatById(encoding.format);
  const lines: DocketLine[] = [
    {
      label: 'Format',
      value: `${format.title}, ${codes ? `${codes.bits}-bit ${encoding.type[0] === 's' ? 'signed ' : ''}whole numbers` : `${encoding.type === 'f32' ? 32 : 64}-bit floats`}, one channel, data and not colour`,
    },
    { label: 'Samples', value: `${ground.across} × ${ground.down}` },
  ];
  if (encoding.format === 'raw') {
    lines.push({ label: 'Byte order', value: encoding.options?.order === 'be' ? 'big-endian' : 'little-endian' });
    lines.push({ label: 'First row', value: encoding.options?.rows === 'south' ? 'the south edge' : 'the north edge' });
    if (encoding.options?.skip) lines.push({ label: 'Header to skip', value: `${encoding.options.skip} bytes` });
  } else lines.push({ label: 'First row', value: 'the north edge' });
  if (codes && encoding.range) {
    lines.push({ label: `Height of code ${codes.min}`, value: `${number(encoding.range.low, 3)} m` });
    lines.push({ label: `Height of code ${codes.max}`, value: `${number(encoding.range.high, 3)} m` });
    lines.push({ label: 'Height over all codes', value: `${number(encoding.range.high - encoding.range.low, 3)} m` });
    lines.push({ label: 'Metres a code', value: `${metresPerCode(encoding.type, encoding.range).toPrecision(6)} m` });
  } else lines.push({ label: 'Values', value: 'metres, absolute' });
  lines.push({ label: 'Width and depth', value: `${number(ground.width)} m × ${number(ground.depth)} m` });
  lines.push({ label: 'Sea level', value: `${number(ground.sea)} m` });
  lines.push({ label: 'Strength for a plane of width 1', value: displacementRatio(field).toPrecision(6) });
  return {
    terrain,
    file: name,
    receiver,
    toTypeIn: lines,
    ground: [
      { label: 'Lowest', value: `${number(lowest, 3)} m` },
      { label: 'Highest', value: `${number(highest, 3)} m` },
      {
        label: 'From sample to sample',
        value: spacing.x === spacing.y ? `${number(spacing.x, 4)} m` : `${number(spacing.x, 4)} m × ${number(spacing.y, 4)} m`,
      },
      { label: 'Registration', value: ground.registration === 'point' ? 'the outer samples lie on the edge' : 'samples are cell centres' },
      { label: 'Datum', value: `${number(ground.datum)} m` },
    ],
    proof: [
      { label: 'Read back', value: proof.ok ? 'right' : 'wrong' },
      { label: 'Largest error', value: `${proof.maxAbs === 0 ? '0' : proof.maxAbs.toPrecision(4)} m` },
      { label: 'RMS error', value: `${proof.rmse === 0 ? '0' : proof.rmse.toPrecision(4)} m` },
      { label: 'Clipped', value: `${number(proof.clipped)} samples` },
      { label: codes ? 'Codes used' : 'Different values', value: number(proof.codesUsed) },
      { label: 'Bytes', value: number(proof.bytes) },
      { label: 'SHA-256', value: proof.sha256 },
    ],
    madeBy: steps.map(({ title, caption }) => ({ label: title, value: caption })),
  };
}

/** The docket as a page that prints on one sheet; `picture` is a data URL. */
export function docketToHtml(docket: Docket, picture?: string): string {
  const escape = (text: string) => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
  const table = (title: string, lines: DocketLine[]) =>
    lines.length
      ? `<h2>${escape(title)}</h2><table>${lines.map((l) => `<tr><th scope="row">${escape(l.label)}</th><td>${escape(l.value)}</td></tr>`).join('')}</table>`
      : '';
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Docket: ${escape(docket.file)}</title>
<style>body{font:13px/1.45 Overpass,system-ui,sans-serif;color:#22292b;max-width:44rem;margin:2rem auto;padding:0 1rem}
h1{font-size:18px;margin:0 0 .2rem}h2{font-size:13px;color:#9c4a23;margin:1.2rem 0 .3rem;border-top:1px solid #cfc8b6;padding-top:.6rem}
table{border-collapse:collapse;width:100%}th{font-weight:400;text-align:left;color:#5a6360;width:16rem;padding:1px 0;vertical-align:top}
td{font-family:"Overpass Mono",monospace;font-variant-numeric:tabular-nums;overflow-wrap:anywhere}img{width:100%;max-width:24rem;display:block;margin:.8rem 0}
@media print{body{margin:0}}</style>
<h1>${escape(docket.file)}</h1><p>${escape(docket.terrain)}, for: ${escape(docket.receiver)}</p>
${picture ? `<img src="${escape(picture)}" alt="Relief of ${escape(docket.terrain)}">` : ''}
${table('To type in', docket.toTypeIn)}${table('The ground', docket.ground)}${table('Proof', docket.proof)}${table('How it was made', docket.madeBy)}
</html>`;
}
