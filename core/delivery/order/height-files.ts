import type { Order } from '../../course/recipe';
import { UplandError } from '../../errors';
import { spacingOf, type Ground } from '../../field/ground';
import { formatById } from '../../formats';
import { CODES } from '../../formats/format';
import { nameBeside } from '../heights/deliver';
import type { Encoding } from '../heights/encode';
import type { Prepared } from '../heights/prepare';
import { badName } from '../heights/receivers';
import { tileName, tilesOf } from '../heights/tiles';
import type { Writer } from '../writer';
import type { ExportedFile } from './files';
import { stemOf } from './names';

/** Heights as one file or as tiles, each read back, with what the other side types in. */
export async function* heightFiles(
  { field, encoding, toTypeIn, words }: Prepared,
  order: Order,
  name: string,
  called: string,
  writer: Writer,
): AsyncGenerator<ExportedFile> {
  const format = formatById(encoding.format);
  const pieces = order.tiles ? tilesOf(field, order.tiles) : [{ column: 0, row: 0, field }];
  const ending = name.slice(stemOf(name).length);
  for (const piece of pieces) {
    const own = order.tiles ? tileNamed(order.tiles, stemOf(name), piece, ending) : name;
    const { bytes, beside, proof } = await writer.heights(piece.field, own, encoding);
    const lines = readingLines(piece.field.ground, encoding);
    yield {
      name: own,
      bytes,
      mediaType: format.mediaType,
      role: 'heights',
      unit: 'm',
      title: `Heights: ${called}`,
      meaning: 'data',
      toTypeIn: [...lines, ...toTypeIn.filter((t) => !lines.some((l) => l.label === t.label))],
      words,
      proof,
    };
    for (const extra of beside) {
      yield {
        name: nameBeside(own, extra.ending),
        bytes: extra.bytes,
        mediaType: 'text/plain',
        role: 'companion',
        unit: '',
        title: 'Belongs beside the heights',
        meaning: 'words',
        toTypeIn: [],
        words: [],
        proof: null,
      };
    }
  }
}

/** What somebody who reads such a file has to know of it, line by line. */
function readingLines(ground: Ground, encoding: Encoding): { label: string; value: string }[] {
  const codes = CODES[encoding.type];
  const samples = codes ? `${codes.bits}-bit whole numbers` : `${encoding.type === 'f32' ? 32 : 64}-bit floats`;
  const apart = spacingOf(ground);
  const step = (m: number) => `${Number(m.toPrecision(7))} m`;
  const lines = [
    { label: 'Samples', value: `${ground.across} × ${ground.down}, ${samples}, one channel` },
    { label: 'From sample to sample', value: apart.x === apart.y ? step(apart.x) : `${step(apart.x)} × ${step(apart.y)}` },
  ];
  if (encoding.noData !== null && encoding.noData !== undefined) lines.push({ label: 'No data', value: String(encoding.noData) });
  const raw = encoding.format === 'raw';
  if (raw) lines.push({ label: 'Byte order', value: encoding.options?.order === 'be' ? 'big-endian' : 'little-endian' });
  lines.push({ label: 'First row', value: raw && encoding.options?.rows === 'south' ? 'the south edge' : 'the north edge' });
  if (codes && encoding.range) {
    const { low, high } = encoding.range;
    const digits = (m: number) => `${Number(m.toPrecision(9))} m`;
    lines.push(
      { label: `Height of code ${codes.min}`, value: digits(low) },
      { label: `Height of code ${codes.max}`, value: digits(high) },
      { label: 'Height over all codes', value: digits(high - low) },
      { label: 'Metres a code', value: `${((high - low) / (codes.max - codes.min)).toPrecision(6)} m` },
    );
  } else if (!encoding.unit) lines.push({ label: 'Values', value: 'metres, absolute' });
  return lines;
}

const tileNamed = (tiling: NonNullable<Order['tiles']>, stem: string, piece: { column: number; row: number }, ending: string) => {
  const name = `${tileName(tiling.pattern.replaceAll('{name}', stem), piece, tiling)}${ending}`;
  const fault = badName(name);
  if (fault) throw new UplandError('name', fault);
  return name;
};
