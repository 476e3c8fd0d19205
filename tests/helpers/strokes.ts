import { groundOf, hills } from './grounds';
import { makeBrush, type BrushKind, type StrokePlace } from '../../core/steps/sculpt/brush';
import { StrokeOnSurface, type StrokeTools } from '../../core/steps/sculpt/stroke';
import { Surface } from '../../core/steps/sculpt/surface';
import { unrollTiles, type Tiles } from '../../core/field/tiles';

const [ACROSS, DOWN] = [601, 401];

const ground = groundOf(ACROSS, DOWN, 2);

const beneath = hills(ground, 2, 200).height;

type Parts = Partial<Parameters<typeof makeBrush>[0]> & { kind: BrushKind };

/** A stroke at places; the surface after it. */
export async function paintStroke(
  parts: Parts,
  places: StrokePlace[],
  { under = beneath as Float32Array, tiles = new Map() as Tiles, tools = {} as StrokeTools } = {},
): Promise<Surface> {
  const surface = new Surface(ground, under, tiles);
  const on = new StrokeOnSurface(surface, makeBrush({ radius: 100, strength: 1, softness: 0, ...parts }), 7, tools);
  for (const place of places) await on.dab(place);
  return surface;
}

const laidBy = ({ tiles }: Surface) => unrollTiles(tiles, ACROSS, DOWN);

export const surfaceHeights = (surface: Surface, under = beneath) => {
  const laid = laidBy(surface);
  return under.map((h, i) => h + laid[i]);
};
