import type { AssetReading } from '@upland-cast/core';
import { NumberField } from '../../components/controls';
import css from './ImportDialog.module.css';

type Range = NonNullable<AssetReading['map']>;

const ENDS = [
  { code: 'code0', height: 'height0', number: 'First number', metres: 'Its height', other: 'code1' },
  { code: 'code1', height: 'height1', number: 'Second number', metres: 'Its height, second', other: 'code0' },
] as const;

/** Two numbers of a file, and the heights that they stand for; `whole`: its numbers are whole. Two that are the same say nothing, and are not taken. */
export function RangeEnds({ range, whole, onChange }: { range: Range; whole: boolean; onChange: (range: Range) => void }) {
  return (
    <div className={css.ends}>
      {ENDS.flatMap(({ code, height, number, metres, other }) => [
        <NumberField
          key={code}
          label={number}
          value={range[code]}
          min={-4.3e9}
          max={4.3e9}
          step={whole ? 1 : 0.001}
          onChange={(value) => value !== range[other] && onChange({ ...range, [code]: value })}
        />,
        <span key={`${code} is`}>is</span>,
        <NumberField
          key={height}
          label={metres}
          unit="m"
          value={range[height]}
          min={-20_000}
          max={20_000}
          step={0.1}
          onChange={(value) => onChange({ ...range, [height]: value })}
        />,
      ])}
    </div>
  );
}
