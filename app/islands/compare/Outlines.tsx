import { useMemo, useState } from 'react';
import { Segments } from '../../components/controls';
import { figure } from '../../components/format';
import type { ComparedPicture } from '../../engine/api';
import { outlineOf, type OutlineSide } from './outline';
import css from './ComparedView.module.css';

const SIDES: Record<OutlineSide, string> = { south: 'From the south', west: 'From the west', north: 'From the north', east: 'From the east' };

/** Both outlines against the sky, laid over each other. */
export function Outlines({ found }: { found: ComparedPicture }) {
  const [side, setSide] = useState<OutlineSide>('south');
  const { ground, heightA, heightB } = found;
  const [a, b] = useMemo(() => [heightA, heightB].map((h) => outlineOf(h, ground.across, ground.down, side)), [heightA, heightB, ground, side]);
  const [low, high] = [Math.min(...a, ...b), Math.max(...a, ...b)];
  const tall = Math.max(1e-6, high - low) * 1.1;
  const path = (of: Float32Array) => Array.from(of, (h, i) => `${i === 0 ? 'M' : 'L'}${i} ${(((high - h + 0.05 * tall) / tall) * 1000).toFixed(1)}`).join('');
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(b[i] - a[i]));
  return (
    <div className={css.outlines}>
      <div className={css.key}>
        <b>A</b>
        <b>B</b>
        <Segments label="Seen from" value={side} choices={SIDES} onChange={setSide} />
        <span className="number">up to {figure(most, most < 1 ? 3 : 1)} m apart</span>
      </div>
      <svg
        viewBox={`0 0 ${a.length - 1} 1000`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`Outlines of both, ${SIDES[side].toLowerCase()}; up to ${figure(most, 1)} m apart`}
      >
        <path className={css.lineA} d={path(a)} />
        <path className={css.lineB} d={path(b)} />
      </svg>
    </div>
  );
}
