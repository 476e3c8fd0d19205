import { Facts, Part } from '../../components/Facts';
import { figure } from '../../components/format';
import type { ComparedPicture } from '../../engine/api';
import { SidesTable } from './SidesTable';

const volume = (cubicMetres: number) => (cubicMetres >= 1e6 ? `${figure(cubicMetres / 1e9, 4)} km³` : `${figure(cubicMetres, 0)} m³`);
const metres = (v: number) => `${figure(v, Math.abs(v) < 1 ? 3 : Math.abs(v) < 100 ? 2 : 1)} m`;

/** The figures of both sides, and of what lies between them. */
export function Numbers({ found, tolerance }: { found: ComparedPicture; tolerance: number }) {
  const { a, b, between } = found;
  const rows: [string, string, string][] = [
    ['lowest', metres(a.lowest), metres(b.lowest)],
    ['highest', metres(a.highest), metres(b.highest)],
    ['mean', metres(a.mean), metres(b.mean)],
    ['deviation', metres(a.deviation), metres(b.deviation)],
    ['under water', `${figure(100 * a.underWater, 1)} %`, `${figure(100 * b.underWater, 1)} %`],
    ['steepest', `${figure(a.steepest, 1)}°`, `${figure(b.steepest, 1)}°`],
  ];
  const beyond = tolerance > 0 ? shareBeyond(found, tolerance) : 0;
  return (
    <>
      <Part title="Numbers">
        <SidesTable rows={rows} />
      </Part>
      <Part title="Between them, B − A">
        <Facts
          items={[
            ['root mean square', metres(between.rmse)],
            ['mean', metres(between.mean)],
            ['largest', `${metres(between.maxAbs)} at E ${figure(between.at.east, 0)}, N ${figure(found.sizes.a.depth - between.at.south, 0)}`],
            ...between.percentiles.map(({ share, within }): [string, string] => [`${figure(100 * share, 0)} % within`, metres(within)]),
            ['correlation', figure(between.correlation, 5)],
            ['A must lose', volume(between.loss)],
            ['A must gain', volume(between.gain)],
            ['samples in both', `${figure(100 * between.share, 1)} % of A`],
            ...(tolerance > 0
              ? ([
                  [
                    `beyond ${metres(tolerance)}`,
                    beyond === 0 ? 'none: within it everywhere' : `${figure(100 * beyond, 2)} % of what is drawn`,
                    beyond === 0 ? 'good' : 'fault',
                  ],
                ] as [string, string, 'good' | 'fault'][])
              : []),
          ]}
        />
      </Part>
    </>
  );
}

/** The share of the samples that are drawn whose difference is more than a tolerance. */
function shareBeyond({ difference, valid, between }: ComparedPicture, tolerance: number): number {
  if (between.maxAbs <= tolerance) return 0;
  let [count, over] = [0, 0];
  for (let i = 0; i < difference.length; i++) {
    if (valid && !valid[i]) continue;
    count++;
    if (Math.abs(difference[i]) > tolerance) over++;
  }
  return Math.max(1, over) / Math.max(1, count);
}
