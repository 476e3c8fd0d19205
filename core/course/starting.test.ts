import { describe, expect, it } from 'vitest';
import { groundAtSamples } from '../field/ground';
import { statistics } from '../field/statistics';
import { inlineKernels } from '../kernels/pool';
import { slope } from '../analysis/slope';
import { evaluate } from './evaluate';
import { parseCourse } from './schema';
import { startingCourses } from './starting';

const kernels = inlineKernels();

describe('starting courses', () => {
  it('are twelve, each read back as it was written and worked out with nothing left out', async () => {
    expect(startingCourses).toHaveLength(12);
    for (const { make, id } of startingCourses) {
      const course = make();
      expect(parseCourse(JSON.parse(JSON.stringify(course))), id).toEqual(course);
      const { stages } = await evaluate(course, { kernels, ground: groundAtSamples(course.ground, 65), everyLine: true });
      expect(
        stages.filter((s) => s.fault).map((s) => s.fault),
        id,
      ).toEqual([]);
    }
  });

  it('make plainly different ground: in range, steepness, and how its heights are spread', async () => {
    const facts = [];
    for (const { make, id } of startingCourses) {
      const course = make();
      const ground = groundAtSamples(course.ground, 129);
      const { height } = await evaluate(course, { kernels, ground });
      const { lowest, highest, mean } = statistics({ ground, height });
      const steep = slope({ ground, height });
      facts.push({ id, relief: highest - lowest, middle: (mean - lowest) / (highest - lowest), steep: steep.reduce((a, b) => a + b) / steep.length });
    }
    for (const [i, a] of facts.entries()) {
      for (const b of facts.slice(0, i)) {
        const apart = Math.abs(Math.log(a.relief / b.relief)) + Math.abs(Math.log(a.steep / b.steep)) + 3 * Math.abs(a.middle - b.middle);
        expect(apart, `${a.id} and ${b.id}`).toBeGreaterThan(0.25);
      }
    }
  });
});
