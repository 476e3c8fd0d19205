import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { inlineKernels } from '../kernels/pool';
import { surfaceBy, type SurfaceChoice } from './choice';

const kernels = inlineKernels();
const field = hills(groundOf(65, 65, 10), 3, 120);
const made = (choice: SurfaceChoice) => surfaceBy(kernels, field, choice);

describe('the faces that are asked for', () => {
  it('of a grid without a count have one vertex a sample, under either registration', async () => {
    expect((await made({ kind: 'grid' })).height.length).toBe(65 * 65);
    const area = { ...field, ground: { ...field.ground, registration: 'area' as const } };
    // Every sample, and half a cell beyond the outer ones the edge.
    expect((await surfaceBy(kernels, area, { kind: 'grid' })).height.length).toBe(65 * 65 + 4 * 64);
    expect((await made({ kind: 'grid', segments: { x: 8, y: 4 }, faces: 'quads' })).faces.length).toBe(8 * 4 * 4);
  });

  it.each(['adaptive', 'halved'] as const)('%s: no more triangles than were asked for, more for a smaller error, in parts too', async (kind) => {
    const count = ({ faces }: { faces: Uint32Array }) => faces.length / 3;
    expect(count(await made({ kind, triangles: 300 }))).toBeLessThanOrEqual(300);
    const [rough, fine] = [await made({ kind, maxError: 8 }), await made({ kind, maxError: 1 })];
    expect(count(fine)).toBeGreaterThan(count(rough));
    expect((await made({ kind, maxError: 8, split: { across: 2, down: 2 } })).parts.length).toBe(4);
    await expect(made({ kind, maxError: 8, faces: 'quads' })).rejects.toThrow(/only a regular grid/);
  });

  it('of halved triangles part in as many across as down', async () => {
    await expect(made({ kind: 'halved', maxError: 8, split: { across: 4, down: 2 } })).rejects.toThrow(/as many across as down/);
  });
});
