import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { makeCourse, stepUse } from '../../course/schema';
import { inlineKernels } from '../../kernels/pool';
import { receivers } from '../heights/receivers';
import { exportOrder } from '../order/export-order';
import type { ExportedFile } from '../order/files';
import { orderForReceiver } from '../order/plan';
import { deliveryReportToHtml, makeDeliveryReport, proofLines, type DeliveryReport, type FileRole } from './delivery-report';

const kernels = inlineKernels();
const receiver = (id: string) => receivers.find((r) => r.id === id)!;

/** Everything that an order hands on, and its report. */
async function handedOn(id: string, change: (order: ReturnType<typeof orderForReceiver>) => void = () => undefined) {
  const course = makeCourse('Dale & <fell>', groundOf(33, 33, 8), [stepUse('noise', { feature: 120, height: 90 })]);
  course.spots = [{ id: 's', name: 'Cairn "top"', east: 80, south: 96 }];
  const order = orderForReceiver(receiver(id), course, 33);
  change(order);
  const files: ExportedFile[] = [];
  const run = exportOrder(course, order, { kernels });
  for (;;) {
    const next = await run.next();
    if (next.done) return { files, report: next.value, order };
    files.push(next.value);
  }
}

describe('the report of a delivery', () => {
  it('names every file that was proofed, and no other', async () => {
    const { files, report } = await handedOn('power-of-two-plus-one', (order) => {
      order.maps = [
        { kind: 'normal', space: 'tangent', green: 'up', bits: 8 },
        { kind: 'slope', depth: '16' },
        { kind: 'colour' },
        { kind: 'water mask', of: 'all' },
      ];
    });
    const proofed = files.filter((f) => f.proof).map((f) => f.name);
    expect(report.files.filter((f) => f.proof).map((f) => f.name)).toEqual(proofed);
    expect(proofed.length).toBe(5);
    for (const file of report.files) expect(file).not.toHaveProperty('bytes');
  });

  it('gives every file a role and its proof a unit, whatever it is called', async () => {
    const roles = async (id: string, change?: Parameters<typeof handedOn>[1]) => {
      const { files } = await handedOn(id, change);
      return files.map(({ role, unit }): [FileRole, string] => [role, unit]);
    };
    expect(
      await roles('power-of-two-plus-one', (order) => {
        order.maps = [
          { kind: 'normal', space: 'tangent', green: 'up', bits: 8 },
          { kind: 'weights', bits: 8 },
          { kind: 'water mask', of: 'all' },
          { kind: 'slope', depth: '16' },
        ];
      }),
    ).toEqual([
      ['heights', 'm'],
      ['normal', ''],
      ['mask', ''],
      ['map', ''],
      ['weights', ''],
      ['report', ''],
      ['report', ''],
    ]);
    expect((await roles('printed-model'))[0]).toEqual(['solid', 'm']);
  });

  it('says the height of its ends as the file has them: those that prove the ground come back by them', async () => {
    const { report } = await handedOn('power-of-two-plus-one');
    const said = (label: string) => report.files[0].toTypeIn.find((t) => t.label === label)?.value ?? '';
    const number = (text: string) => Number(text.replace(' m', ''));
    const [low, high] = [number(said('Height of code 0')), number(said('Height of code 65535'))];
    expect(high).toBeGreaterThan(low);
    const step = number(said('Metres a code'));
    expect(step).toBeCloseTo((high - low) / 65_535, 8);
    // The proof's largest error is at most half of one code.
    expect(report.files[0].proof!.maxAbs).toBeLessThanOrEqual(step / 2 + 1e-6);
  });

  it('gives a watched place now and as it was delivered, within half a code', async () => {
    const { report, order } = await handedOn('power-of-two-plus-one');
    expect(order.height.type).toBe('u16');
    const [spot] = report.spots;
    expect(spot.before).toBeNull();
    const step = Number(report.files[0].toTypeIn.find((t) => t.label === 'Metres a code')!.value.replace(' m', ''));
    expect(Math.abs(spot.delivered - spot.now)).toBeLessThanOrEqual(step / 2 + 1e-6);
  });
});

describe('its page', () => {
  const field = hills(groundOf(17, 17, 4), 2);
  const report = (over: Partial<Parameters<typeof makeDeliveryReport>[0]> = {}): DeliveryReport =>
    makeDeliveryReport({ terrain: 'T', receiver: receiver('power-of-two'), field, sea: 0, words: [], files: [], spots: [], steps: [], ...over });

  it('holds no mark of its own in what people wrote', () => {
    const nasty = `<script>alert("x")</script> & 'y'`;
    const html = deliveryReportToHtml(
      report({
        terrain: nasty,
        words: [nasty],
        steps: [{ title: nasty, caption: nasty }],
        spots: [{ name: nasty, before: null, now: 1, delivered: 1 }],
        files: [
          {
            name: nasty,
            role: 'heights',
            unit: 'm',
            title: nasty,
            meaning: 'data',
            toTypeIn: [{ label: nasty, value: nasty }],
            words: [nasty],
            proof: { ok: true, maxAbs: 0.25, rmse: 0.1, clipped: 0, codesUsed: 9, sha256: 'ab', bytes: 12, faults: [] },
          },
        ],
      }),
    );
    expect(html).not.toContain('<script');
    expect(html).not.toContain('alert("x")');
    expect(html.match(/&#60;script&#62;/g)!.length).toBeGreaterThanOrEqual(9);
  });

  it('writes errors of heights in metres and those of maps in codes', () => {
    const proof = { ok: true, maxAbs: 0.25, rmse: 0.125, clipped: 3, codesUsed: 1234, sha256: 'f00', bytes: 4096, faults: [] };
    expect(proofLines(proof, 'm').find((l) => l.label === 'Largest error')!.value).toBe('0.2500 m');
    expect(
      proofLines(proof, '')
        .find((l) => l.label === 'Largest error')!
        .value.trim(),
    ).toBe('0.2500');
    expect(proofLines({ ...proof, maxAbs: 0 }, 'm').find((l) => l.label === 'Largest error')!.value).toBe('0');
    expect(proofLines({ ...proof, ok: false }, 'm')[0].value).toBe('wrong');
    expect(proofLines(proof, 'm').find((l) => l.label === 'Bytes')!.value).toBe('4\u2009096');
  });

  it('says one distance between samples where both are the same, and two where they are not', () => {
    const apart = (over: object) =>
      report({ field: { ...field, ground: { ...field.ground, ...over } } }).ground.find((g) => g.label === 'From sample to sample')!.value;
    expect(apart({})).toMatch(/^4 m$/);
    expect(apart({ width: field.ground.width * 2 })).toMatch(/^8 m × 4 m$/);
  });

  it('shows the picture that it was given, and none otherwise', () => {
    expect(deliveryReportToHtml(report(), 'data:image/png;base64,AAAA')).toContain('<img src="data:image/png;base64,AAAA"');
    expect(deliveryReportToHtml(report())).not.toContain('<img');
  });
});
