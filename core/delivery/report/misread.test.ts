import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { normalMap } from '../../analysis/surface';
import { makeField } from '../../field/field';
import { makeGround } from '../../field/ground';
import { statistics } from '../../field/statistics';
import { flipColumns, flipRows, turn } from '../../field/turn';
import { inlineKernels } from '../../kernels/pool';
import { calibrationOn, CORNERS } from './calibration';
import { encode } from '../heights/encode';
import { extendEdges } from '../heights/tiles';
import { symptomsOf, symptomsOfNormals, misread, type MisreadSettings } from './misread';

describe('a trial reading', () => {
  const ground = hills(groundOf(129, 129, 8), 5);
  const stats = statistics(ground);
  const range = { low: Math.floor(stats.lowest), high: Math.ceil(stats.highest) };
  const raw = { format: 'raw', type: 'u16' as const, range };
  const seen = async (told: MisreadSettings, written: Parameters<typeof misread>[2] = raw) => {
    const { bytes } = await encode(ground, written);
    return (await misread(bytes, ground, written, told)).symptoms.map((s) => s.id);
  };

  it('told the truth shows the ground and no symptom', async () => {
    for (const format of ['raw', 'png', 'tiff']) expect(await seen({}, { ...raw, format }), format).toEqual([]);
    expect(await seen({}, { format: 'tiff', type: 'f32' })).toEqual([]);
  });

  it.each([
    ['another byte order', { order: 'be' }, 'spikes'],
    ['another width', { across: 128, down: 130 }, 'slanted'],
    ['rows from the south', { rows: 'south' }, 'mirrored'],
    ['a mirror', { mirrored: true }, 'mirrored'],
    ['a quarter turn', { turned: 90 }, 'mirrored'],
    ['twice the range', { range: { low: range.low, high: range.low + 2 * (range.high - range.low) } }, 'stretched'],
    ['another zero', { range: { low: range.low + 100, high: range.high + 100 } }, 'shifted'],
    ['a tone curve', { toneCurve: true }, 'bent'],
    ['eight bits', { bits: 8 }, 'terraces'],
    ['a larger grid', { grid: 150 }, 'strip'],
  ] as [string, MisreadSettings, string][])('with %s shows the wrong ground and names it', async (_, told, symptom) => {
    expect(await seen(told)).toContain(symptom);
  });

  it('names a normal map taken for colour, and green turned over', async () => {
    const map = await normalMap(inlineKernels(), ground);
    const ids = (read: Parameters<typeof symptomsOfNormals>[3]) => symptomsOfNormals(ground, map, 255, read).map((s) => s.id);
    expect(ids({})).toEqual([]);
    expect(ids({ asColour: true })).toEqual(['dull']);
    expect(ids({ greenTurned: true })).toEqual(['inside']);
  });

  it('with the calibration ground tells every mirror and turn from the others', () => {
    const calibration = makeGround({ width: 1024, depth: 1024, across: 257, down: 257, registration: 'point' });
    const sheet = makeField(calibration, calibrationOn(calibration));
    for (const wrong of [flipRows(sheet), flipColumns(sheet), turn(sheet, 90), turn(sheet, 180), turn(sheet, 270), flipRows(turn(sheet, 90))]) {
      expect(symptomsOf(sheet, wrong).map((s) => s.id)).toEqual(['mirrored']);
    }
    expect(symptomsOf(sheet, sheet)).toEqual([]);
    const at = (x: number, y: number) => sheet.height[Math.round((1 - y) * 256) * 257 + Math.round(x * 256)];
    expect([at(0.08, 0.92), at(0.92, 0.92), at(0.08, 0.08), at(0.92, 0.08)]).toEqual(Object.values(CORNERS));
  });

  it('has the strip of a ground that was carried on', () => {
    expect(symptomsOf(ground, extendEdges(ground, 140, 140))[0].detail).toMatch(/^1[01] samples/);
  });
});
