import { UplandError } from '../../errors';
import { makeField, type Field } from '../../field/field';
import { spacingOf } from '../../field/ground';

export interface Tiling {
  across: number;
  down: number;
  /** Neighbours share their row or column of samples, so that they meet without a gap. */
  shared: boolean;
}

export interface Tile {
  /** Counted from 0 at the north-west. */
  column: number;
  row: number;
  field: Field;
}

/** How many samples a side each tile of a tiling has; a sentence where it does not come out even. */
export function tileSides({ ground }: Pick<Field, 'ground'>, { across, down, shared }: Tiling): { across: number; down: number } | string {
  const side = (samples: number, tiles: number, way: string): number | string => {
    const steps = shared ? samples - 1 : samples;
    if (tiles < 1 || tiles > samples) return `${tiles} tiles ${way} are more than there are samples.`;
    if (steps % tiles === 0) return steps / tiles + (shared ? 1 : 0);
    const good = Array.from({ length: Math.min(64, steps) }, (_, i) => i + 1).filter((n) => steps % n === 0 && steps / n >= 2);
    return `${samples} samples do not part into ${tiles} equal tiles ${way}${shared ? ' that share their edges' : ''}. Counts that do: ${good.join(', ')}.`;
  };
  const [x, y] = [side(ground.across, across, 'across'), side(ground.down, down, 'down')];
  if (typeof x === 'string') return x;
  return typeof y === 'string' ? y : { across: x, down: y };
}

/** Cuts a ground into equal tiles; a shared edge has the same bits on both sides. Refuses counts that do not come out even. */
export function* tilesOf(field: Field, tiling: Tiling): Generator<Tile> {
  const sides = tileSides(field, tiling);
  if (typeof sides === 'string') throw new UplandError('tiles', sides);
  const step = { x: sides.across - (tiling.shared ? 1 : 0), y: sides.down - (tiling.shared ? 1 : 0) };
  for (let row = 0; row < tiling.down; row++) {
    for (let column = 0; column < tiling.across; column++) {
      yield { column, row, field: tileField(field, column * step.x, row * step.y, sides.across, sides.down) };
    }
  }
}

/** A piece of a ground, at its own samples and in its own place. */
export function tileField({ ground, height, valid }: Field, left: number, top: number, across: number, down: number): Field {
  const spacing = spacingOf(ground);
  const length = (count: number, one: number) => (ground.registration === 'point' ? Math.max(1, count - 1) : count) * one;
  const out = new Float32Array(across * down);
  const known = valid && new Uint8Array(across * down);
  for (let row = 0; row < down; row++) {
    const from = (top + row) * ground.across + left;
    out.set(height.subarray(from, from + across), row * across);
    known?.set(valid!.subarray(from, from + across), row * across);
  }
  const { georeference } = ground;
  const perMetre = georeference?.perMetre ?? { x: 1, y: 1 };
  const piece = {
    ...ground,
    across,
    down,
    width: length(across, spacing.x),
    depth: length(down, spacing.y),
    georeference: georeference && {
      ...georeference,
      west: georeference.west + left * spacing.x * perMetre.x,
      north: georeference.north - top * spacing.y * perMetre.y,
    },
  };
  return makeField(piece, out, known);
}

/** Carries the outer values on to other counts: a flat strip along the east and the south. */
export function extendEdges({ ground, height, valid }: Field, across: number, down: number): Field {
  const spacing = spacingOf(ground);
  const out = new Float32Array(across * down);
  const known = valid && new Uint8Array(across * down);
  for (let row = 0; row < down; row++) {
    const from = Math.min(row, ground.down - 1) * ground.across;
    for (let column = 0, to = row * across; column < across; column++, to++) {
      const at = from + Math.min(column, ground.across - 1);
      out[to] = height[at];
      if (known) known[to] = valid![at];
    }
  }
  const length = (count: number, one: number) => (ground.registration === 'point' ? Math.max(1, count - 1) : count) * one;
  return makeField({ ...ground, across, down, width: length(across, spacing.x), depth: length(down, spacing.y) }, out, known);
}

/** The name of a tile: {x} and {y} count from 0, {column} and {row} from 1, {south} from 0 at the south; {x:3} has three digits at least. */
export function tileName(pattern: string, { column, row }: Pick<Tile, 'column' | 'row'>, tiling: Pick<Tiling, 'down'>): string {
  const counts: Record<string, number> = { x: column, y: row, column: column + 1, row: row + 1, south: tiling.down - 1 - row };
  return pattern.replaceAll(/\{(x|y|column|row|south)(?::(\d))?\}/g, (_, of: string, digits?: string) => String(counts[of]).padStart(Number(digits ?? 0), '0'));
}
