import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { type Mesh } from '../mesh';
import { modelOf } from '../model/model';
import { simplifiedSurface, switchDistance } from './simplify';
import { gridSurface } from './surface';
import { errorOf, strayEdges } from '../../../tests/helpers/mesh-edges';

describe('simplified levels', () => {
  it('have about the triangles that are asked for, borders that are kept, and an error that is measured', async () => {
    const own = hills(groundOf(129), 5, 200);
    const whole = gridSurface(own, { x: 128, y: 128 }, 'triangles', { across: 2, down: 2 });
    let before = -1;
    const meshes: Mesh[][] = [];
    for (const share of [0.5, 0.25, 0.125]) {
      const level = await simplifiedSurface(own.ground, whole, share);
      expect(level.faces.length / whole.faces.length).toBeLessThan(share * 1.1 + 0.02);
      const { maxError, holes } = errorOf(own, level);
      expect(holes).toBe(0);
      expect(maxError).toBeGreaterThan(before);
      before = maxError;
      meshes.push(modelOf(own, level, 'm').parts.map((p) => p.mesh));
    }
    // Any level of one part beside any level of the others.
    expect(strayEdges([meshes[0][0], meshes[2][1], meshes[1][2], meshes[0][3]])).toEqual([]);
  });

  it('switch where the error is a pixel: 1 m at 1 080 lines and 60° is 935.3 m away (1080 / (2 tan 30°), arithmetic)', () => {
    expect(switchDistance(1)).toBeCloseTo(1080 / (2 * Math.tan(Math.PI / 6)), 6);
    expect(switchDistance(1)).toBeCloseTo(935.3, 1);
  });
});
