import type { Compared, ComparisonFinding, Comparison } from '@upland-cast/core';
import { Button } from '../../components/controls';
import type { ComparedPicture } from '../../engine/api';
import { addStep } from '../../store/course';
import { setComparison } from '../../store/compare';
import { useTerrain } from '../../store/state';
import css from './CompareRoom.module.css';

/** What was found between the two, what matters most first, with the way out beside it. */
export function Findings({ found, laid, b }: { found: ComparedPicture; laid: Comparison['laid']; b: Compared }) {
  const readOnly = useTerrain((s) => s.readOnly);
  const right = found.findings.every(({ kind }) => kind === 'same' || kind === 'close');
  const mend = b.kind === 'now' && !readOnly ? mendOf(found) : b.kind === 'file' ? fileMendOf(found, b) : null;
  const moved = found.findings.some(({ mend: way }) => way !== undefined);
  return (
    <section className={`${css.found} ${right ? css.right : css.wrong}`} aria-label="What was found" role="status">
      {found.findings.map(({ kind, sentence }, i) => (
        <p key={kind} className={i === 0 ? css.first : ''}>
          {sentence}
        </p>
      ))}
      <div className={css.mends}>
        {moved && laid !== 'fit' && <Button onClick={() => setComparison({ laid: 'fit' })}>See B as it fits</Button>}
        {laid === 'fit' && <Button onClick={() => setComparison({ laid: 'usual' })}>See B as it is</Button>}
        {mend && <Button onClick={mend.press}>{mend.title}</Button>}
      </div>
    </section>
  );
}

/** A file's heights are read on A's scale from then on. */
function fileMendOf({ findings, relation }: ComparedPicture, side: Extract<Compared, { kind: 'file' }>): { title: string; press: () => void } | null {
  if (!findings.some(({ kind }) => kind === 'height-scale' || kind === 'height-shift') || !(relation.scale > 0)) return null;
  const [scale, lift] = [side.scale ?? 1, side.lift ?? 0];
  return {
    title: 'Read its heights on A’s scale',
    // Of heights that were read on a scale already.
    press: () => setComparison({ b: { ...side, scale: relation.scale * scale, lift: relation.lift * scale + lift } }),
  };
}

/** What one press can put right where B is the ground now: a step at the end of the course. */
function mendOf({ findings, between, a, b }: ComparedPicture): { title: string; press: () => void } | null {
  const kinds = findings.map(({ kind }: ComparisonFinding) => kind);
  const end = () => ({ line: '', index: useTerrain.getState().course!.stem.length });
  if (kinds[0] === 'height-shift') {
    const distance = -Math.round(between.mean * 1000) / 1000;
    return { title: `Shift now by ${distance < 0 ? '−' : '+'}${Math.abs(distance)} m`, press: () => addStep('shift', end(), { distance }) };
  }
  if (kinds[0] === 'height-scale') {
    const round = (v: number) => Math.round(v * 10) / 10;
    const params = { fromLow: round(b.lowest), toLow: round(a.lowest), fromHigh: round(b.highest), toHigh: round(a.highest) };
    return { title: 'Stretch now to A’s range', press: () => addStep('stretch', end(), params) };
  }
  return null;
}
