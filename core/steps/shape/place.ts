import { z } from 'zod';
import { EDGES } from '../../field/sample';
import { gridOf } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { placeProgram } from '../../kernels/programs/displace';
import { defineStep } from '../step';
import { choice, degrees, distance, ratio } from '../params';
import { moveLayers } from './warp';

/**
 * Moves, turns, scales and flips what came before, about the middle of the ground; heights stay
 * as they are. Between samples lies a Catmull–Rom surface. Layers move along.
 */
export const place = defineStep({
  id: 'place',
  title: 'Transform',
  family: 'shape',
  summary: 'Moves, turns, scales or flips what came before.',
  finds: ['transform', 'move', 'offset', 'translate', 'rotate', 'turn', 'scale', 'flip', 'mirror', 'shift', 'sideways'],
  params: z.object({
    east: distance(0, { min: -100_000, max: 100_000, label: 'To the east' }),
    north: distance(0, { min: -100_000, max: 100_000, label: 'To the north' }),
    turn: degrees(0, { min: -180, max: 180, label: 'Turn', help: 'Degrees clockwise.' }),
    across: ratio(1, { min: 0.1, max: 10, label: 'Scale across', help: 'Along its own west to east; squeezes or stretches.' }),
    down: ratio(1, { min: 0.1, max: 10, label: 'Scale down', help: 'Along its own north to south.' }),
    flip: choice('none', { none: 'No', columns: 'East–west', rows: 'North–south' }, { label: 'Flipped' }),
    edge: choice('mirror', EDGES, { label: 'Beyond its edge', help: 'What comes in where it was moved away.' }),
  }),
  movesLayers: true,
  reach: () => Infinity,
  caption: ({ turn, east, north }) => (turn ? `${turn}°` : east || north ? `${Math.round(east)}, ${Math.round(north)} m` : 'scaled'),
  async run({ height, layers }, { east, north, turn, across: scaleX, down: scaleY, flip, edge }, { ground, window, kernels, signal }) {
    const still = !east && !north && !turn && scaleX === 1 && scaleY === 1 && flip === 'none';
    if (still) return { height, layers };
    const { sin, cos } = exactMath();
    const [s, c] = [sin(turn * DEGREE), cos(turn * DEGREE)];
    const { firstX, firstY, stepX, stepY } = gridOf(ground, window);
    const [kx, ky] = [(flip === 'columns' ? -1 : 1) / scaleX, (flip === 'rows' ? -1 : 1) / scaleY];
    // The first sample's place about the middle, turned back; then what a column and a row add.
    const x = firstX - ground.width / 2 - east;
    const y = firstY - ground.depth / 2 + north;
    const args = {
      across: window.across,
      down: window.down,
      outAcross: window.across,
      outDown: window.down,
      x0: ((x * c + y * s) * kx + ground.width / 2 - firstX) / stepX,
      xc: c * kx,
      xr: (s * kx * stepY) / stepX,
      y0: ((y * c - x * s) * ky + ground.depth / 2 - firstY) / stepY,
      yc: (-s * ky * stepX) / stepY,
      yr: c * ky,
      edge,
      point: ground.registration === 'point',
    };
    const move = (source: Float32Array) => kernels.run(placeProgram, args, source, { signal });
    return { height: await move(height), layers: await moveLayers(layers, move) };
  },
});
