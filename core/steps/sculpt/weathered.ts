import { spacingOf, type Ground } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import type { Kernels } from '../../kernels/pool';
import { talusProgram } from '../../kernels/programs/talus';
import { runoffProgram } from '../../kernels/programs/runoff';

/** Sweeps and steps of time a dab. */
const SWEEPS = 16;
const STEPS = 40;

/** What a piece of ground becomes while rock slides or rain falls on it alone: the change, metres. */
export async function weatherPiece(
  kernels: Kernels,
  kind: 'talus' | 'runoff',
  bed: Float32Array<ArrayBuffer>,
  ground: Ground,
): Promise<Float32Array<ArrayBuffer>> {
  const spacing = spacingOf(ground);
  const piece = { across: ground.across, down: ground.down, point: ground.registration === 'point', spacingX: spacing.x, spacingY: spacing.y };
  const { tan } = exactMath();
  if (kind === 'talus') {
    const { change } = await kernels.run(talusProgram, { ...piece, tanRepose: tan(34 * DEGREE), sweeps: SWEEPS }, { bed });
    return change;
  }
  const { change } = await kernels.run(
    runoffProgram,
    { ...piece, steps: STEPS, coarsest: 0, rain: 4, evaporation: 0.01, carry: 1, wear: 0.04, settle: 0.04, bank: tan(50 * DEGREE), open: true, alone: true },
    { bed },
  );
  return change;
}
