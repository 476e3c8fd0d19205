import { spacingOf } from '../../field/ground';
import type { Field } from '../../field/field';
import { statistics } from '../../field/statistics';
import type { Statement } from '../heights/prepare';
import type { Proof } from '../heights/proof';
import type { Receiver } from '../../course/receiver';

/** What a file of a delivery is for. `companion`: it belongs beside another one. */
export type FileRole = 'heights' | 'solid' | 'companion' | 'normal' | 'colour' | 'weights' | 'mask' | 'map' | 'report';

/** A file as the docket speaks of it. */
export interface ReportedFile {
  name: string;
  role: FileRole;
  /** Of the errors in its proof: metres, or codes and shares without one. */
  unit: 'm' | '';
  title: string;
  /** Data is read as it is; colour goes through the screen's tone curve. */
  meaning: 'data' | 'colour' | 'words';
  /** What the other side has to type in. */
  toTypeIn: Statement[];
  words: string[];
  proof: Pick<Proof, 'ok' | 'maxAbs' | 'rmse' | 'clipped' | 'codesUsed' | 'sha256' | 'bytes' | 'faults'> | null;
}

export interface DeliveryReport {
  terrain: string;
  receiver: string;
  note: string;
  /** What was done to the ground for this receiver, and what stands at its border. */
  words: string[];
  ground: Statement[];
  files: ReportedFile[];
  /** Metres, absolute. */
  spots: { name: string; before: number | null; now: number; delivered: number }[];
  madeBy: Statement[];
}

const number = (value: number, digits = 2) => value.toLocaleString('en-GB', { maximumFractionDigits: digits }).replaceAll(',', '\u2009').replace('-', '−');

export interface DeliveryReportParts {
  terrain: string;
  receiver: Receiver;
  field: Field;
  sea: number;
  words: string[];
  files: ReportedFile[];
  spots: DeliveryReport['spots'];
  steps: { title: string; caption: string }[];
}

/** The sheet that goes with a delivery: every number the other side types in, the ground, and the proofs. */
export function makeDeliveryReport({ terrain, receiver, field, sea, words, files, spots, steps }: DeliveryReportParts): DeliveryReport {
  const { ground } = field;
  const spacing = spacingOf(ground);
  const { lowest, highest, mean } = statistics(field);
  return {
    terrain,
    receiver: receiver.title,
    note: receiver.note,
    words,
    ground: [
      { label: 'Width and depth', value: `${number(ground.width)} m × ${number(ground.depth)} m` },
      { label: 'Samples', value: `${ground.across} × ${ground.down}` },
      {
        label: 'From sample to sample',
        value: spacing.x === spacing.y ? `${number(spacing.x, 6)} m` : `${number(spacing.x, 6)} m × ${number(spacing.y, 6)} m`,
      },
      { label: 'Registration', value: ground.registration === 'point' ? 'the outer samples lie on the edge' : 'samples are cell centres' },
      { label: 'Lowest', value: `${number(lowest, 3)} m` },
      { label: 'Highest', value: `${number(highest, 3)} m` },
      { label: 'Mean', value: `${number(mean, 3)} m` },
      { label: 'Sea level', value: `${number(sea)} m` },
      { label: 'Datum', value: `${number(ground.datum)} m` },
      { label: 'Height range over width', value: ((highest - lowest) / ground.width).toPrecision(6) },
    ],
    files,
    spots,
    madeBy: steps.map(({ title, caption }) => ({ label: title, value: caption })),
  };
}

/** A proof in lines. */
export function proofLines(proof: NonNullable<ReportedFile['proof']>, unit: string): Statement[] {
  const size = (v: number) => (v === 0 ? '0' : `${v.toPrecision(4)} ${unit}`);
  return [
    { label: 'Read back', value: proof.ok ? 'right: size, place and every sample' : 'wrong' },
    { label: 'Largest error', value: size(proof.maxAbs) },
    { label: 'RMS error', value: size(proof.rmse) },
    { label: 'Clipped', value: `${number(proof.clipped)} samples` },
    { label: 'Different values', value: number(proof.codesUsed) },
    { label: 'Bytes', value: number(proof.bytes) },
    { label: 'SHA-256', value: proof.sha256 },
  ];
}

const MEANINGS = { data: 'data, to be read as it is (linear, no colour)', colour: 'colour (sRGB)', words: '' };

/** The docket as a page that prints; `picture` is a data URL. */
export function deliveryReportToHtml(docket: DeliveryReport, picture?: string): string {
  const escape = (text: string) => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
  const rows = (lines: Statement[]) => lines.map((l) => `<tr><th scope="row">${escape(l.label)}</th><td>${escape(l.value)}</td></tr>`).join('');
  const table = (title: string, lines: Statement[]) => (lines.length ? `<h2>${escape(title)}</h2><table>${rows(lines)}</table>` : '');
  const files = docket.files.filter((f) => f.proof);
  const file = (f: ReportedFile) =>
    `<section><h3>${escape(f.name)}</h3><p>${escape(f.title)}${f.meaning === 'words' ? '' : `; ${MEANINGS[f.meaning]}`}. ${escape(f.words.join(' '))}</p>` +
    `<table>${rows(f.toTypeIn)}${rows(proofLines(f.proof!, f.unit))}</table></section>`;
  const spots = docket.spots.length
    ? `<h2>Spots</h2><table class="spots"><tr><th scope="col">Place</th><th scope="col">Before</th><th scope="col">Now</th><th scope="col">As delivered</th></tr>${docket.spots
        .map(
          (s) =>
            `<tr><th scope="row">${escape(s.name)}</th>${[s.before, s.now, s.delivered].map((v) => `<td>${v === null ? '' : `${number(v, 3)} m`}</td>`).join('')}</tr>`,
        )
        .join('')}</table>`
    : '';
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Docket: ${escape(docket.terrain)}</title>
<style>body{font:13px/1.45 Overpass,system-ui,sans-serif;color:#22292b;max-width:46rem;margin:2rem auto;padding:0 1rem}
h1{font-size:18px;margin:0 0 .2rem}h2{font-size:13px;color:#9c4a23;margin:1.2rem 0 .3rem;border-top:1px solid #cfc8b6;padding-top:.6rem}
h3{font-size:13px;margin:1rem 0 .1rem}p{margin:.1rem 0 .4rem}
table{border-collapse:collapse;width:100%}th{font-weight:400;text-align:left;color:#5a6360;width:16rem;padding:1px 0;vertical-align:top}
td{font-family:"Overpass Mono",monospace;font-variant-numeric:tabular-nums;overflow-wrap:anywhere}img{width:100%;max-width:24rem;display:block;margin:.8rem 0}
section,tr{break-inside:avoid}@media print{body{margin:0;max-width:none}}</style>
<h1>${escape(docket.terrain)}</h1><p>For: ${escape(docket.receiver)}. ${escape(docket.note)}</p>
${picture ? `<img src="${escape(picture)}" alt="Relief of ${escape(docket.terrain)}">` : ''}
${docket.words.map((w) => `<p>${escape(w)}</p>`).join('')}
${files.length ? `<h2>Files</h2>${files.map(file).join('')}` : ''}
${spots}${table('The ground', docket.ground)}${table('How it was made', docket.madeBy)}
</html>`;
}
