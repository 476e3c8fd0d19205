import type { Order } from '../../course/recipe';
import { makeField } from '../../field/field';
import type { Ground } from '../../field/ground';
import type { Image } from '../../formats/png';
import { tileName, tilesOf } from '../heights/tiles';
import type { DrawnMap, NamedMap } from '../maps/draw';
import type { Writer } from '../writer';
import type { ExportedFile } from './files';
import { cutMapToWindow } from './window';

/** A map as one file or as tiles, each read back. */
export async function mapFiles(spec: NamedMap, drawn: DrawnMap, stem: string, order: Order, writer: Writer): Promise<ExportedFile[]> {
  if (!order.tiles) return await writer.map(spec, drawn, stem);
  const { tiles } = order;
  const out: ExportedFile[] = [];
  const first = 'field' in drawn ? drawn.field.ground : { ...flat(drawn.images[0].image) };
  for (const piece of tilesOf(makeField(first, new Float32Array(first.across * first.down)), tiles)) {
    const { across, down } = piece.field.ground;
    const step = tiles.shared ? 1 : 0;
    const window = { left: piece.column * (across - step), top: piece.row * (down - step), across, down };
    const part = cutMapToWindow(drawn, { ground: first, window });
    out.push(...(await writer.map(spec, part, tileName(tiles.pattern.replaceAll('{name}', stem), piece, tiles))));
  }
  return out;
}

const flat = ({ width, height }: Image): Ground => ({ width, depth: height, across: width, down: height, registration: 'area', datum: 0, sea: 0 });
