import { rangeWords, stepUse } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { figure } from '../../../components/format';
import { select } from '../../../store/course';
import { change } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import type { At } from './dragging';
import { WaterLine } from './RangePanel';
import css from './Staff.module.css';

/** After an end of the range was dragged: shift or stretch, said in words and numbers before it is done. */
export function Ask({ asked, lowest, highest, top, onDone }: { asked: At; lowest: number; highest: number; top: number; onDone: () => void }) {
  const sea = useTerrain((s) => s.course!.ground.sea);
  const isHigh = asked.flag === 'highest';
  const by = Math.round((asked.value - (isHigh ? highest : lowest)) * 10) / 10;
  const factor = (isHigh ? asked.value - lowest : highest - asked.value) / (highest - lowest);
  const round = (v: number) => Math.round(v * 10) / 10;
  const addRange = (step: 'shift' | 'stretch', params: Record<string, unknown>) => {
    const use = stepUse(step, params);
    change(step === 'shift' ? 'Shift' : 'Stretch', (course) => {
      const last = course.stem[course.stem.length - 1];
      // A second drag goes on with the shift that the first one made.
      if (step === 'shift' && last?.step === 'shift' && last.on && last.strength === 1) last.params.by = round(Number(last.params.by ?? 0) + by);
      else course.stem.push(use);
    });
    const { course } = useTerrain.getState();
    select(course!.stem[course!.stem.length - 1].id);
    onDone();
  };
  return (
    <div className={css.ask} style={{ top }} role="dialog" aria-label="Shift or stretch" onKeyDown={(event) => event.key === 'Escape' && onDone()}>
      <p>
        {isHigh ? 'Highest' : 'Lowest'} to <b className="number">{figure(asked.value, 1)} m</b>
      </p>
      <Button autoFocus onClick={() => addRange('shift', { by })}>
        Shift
      </Button>
      <span>{rangeWords({ low: lowest, high: highest }, { low: lowest + by, high: highest + by })}</span>
      <Button
        disabled={!(factor > 0)}
        onClick={() =>
          addRange('stretch', {
            fromLow: round(lowest),
            toLow: isHigh ? round(lowest) : asked.value,
            fromHigh: round(highest),
            toHigh: isHigh ? asked.value : round(highest),
          })
        }
      >
        Stretch
      </Button>
      <span>{rangeWords({ low: lowest, high: highest }, isHigh ? { low: lowest, high: asked.value } : { low: asked.value, high: highest })}</span>
      <div className={css.askWater}>
        <span>Shifted:</span>
        <WaterLine level={sea - by} />
        {factor > 0 && (
          <>
            <span>Stretched:</span>
            <WaterLine level={isHigh ? lowest + (sea - lowest) / factor : highest - (highest - sea) / factor} />
          </>
        )}
      </div>
      <Button look="quiet" onClick={onDone}>
        Leave it
      </Button>
    </div>
  );
}
