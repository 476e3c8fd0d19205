import { readTurnedBack, stepUse, type Compared, type ComparisonFinding, type Comparison, type Course, type StepUse } from '@upland-cast/core';
import { Button } from '../../components/controls';
import type { ComparedPicture } from '../../engine/api';
import { addStep } from '../../store/course';
import { setComparison } from '../../store/compare';
import { change } from '../../store/history';
import { useTerrain } from '../../store/state';
import css from './CompareRoom.module.css';

/** What is left between them is a fault of its own from this share of the range. */
const NOTICED = 0.01;

interface Mend {
  title: string;
  press: () => void;
}

/** What was found between the two, what matters most first, with the way out beside it. */
export function Findings({ found, laid, b }: { found: ComparedPicture; laid: Comparison['laid']; b: Compared }) {
  const readOnly = useTerrain((s) => s.readOnly);
  const course = useTerrain((s) => s.course)!;
  const [low, high] = [Math.min(found.a.lowest, found.b.lowest), Math.max(found.a.highest, found.b.highest)];
  const right = found.findings.every(({ kind }) => kind === 'same' || kind === 'close') && found.left <= NOTICED * (high - low);
  const mends = b.kind === 'now' && !readOnly ? mendsOfNow(found, course) : b.kind === 'file' ? mendsOfFile(found, b) : [];
  const lies = found.findings.some(({ kind }) => kind === 'plan-shift' || kind === 'cut');
  const moved = found.findings.some(({ mend: way }) => way !== undefined);
  return (
    <section className={`${css.found} ${right ? css.right : css.wrong}`} aria-label="What was found" role="status">
      {found.findings.map(({ kind, sentence }, i) => (
        <p key={kind} className={i === 0 ? css.first : ''}>
          {sentence}
        </p>
      ))}
      <div className={css.mends}>
        {moved && laid !== 'fit' && <Button onClick={() => setComparison({ laid: 'fit' })}>{lies ? 'Lay it there' : 'See B as it fits'}</Button>}
        {laid === 'fit' && <Button onClick={() => setComparison({ laid: 'usual' })}>See B as it is</Button>}
        {mends.map(({ title, press }) => (
          <Button key={title} onClick={press}>
            {title}
          </Button>
        ))}
      </div>
    </section>
  );
}

const turnedIn = ({ findings, fit }: ComparedPicture) => (findings.some(({ kind }) => kind === 'turned') ? fit.placement.orientation : null);
const titleOfTurn = ({ findings }: ComparedPicture, way: string) => `${findings.find(({ kind }) => kind === 'turned')!.mend!.title}, ${way}`;

/** The step that takes a tone curve out again, between the lowest and the highest of B. */
function untoned({ relation, b }: ComparedPicture): StepUse['params'] | null {
  const { curve } = relation;
  if (!curve || curve.kind === 'other') return null;
  const ends = { black: b.lowest, white: b.highest };
  if (curve.kind === 'power') return { curve: 'power', gamma: Number((1 / curve.power).toPrecision(4)), way: 'undo', ...ends };
  return { curve: 'srgb', way: curve.kind === 'srgb-encoded' ? 'undo' : 'apply', ...ends };
}

/** What one press does to how a file is read. */
function mendsOfFile(found: ComparedPicture, side: Extract<Compared, { kind: 'file' }>): Mend[] {
  const { findings, relation } = found;
  const out: Mend[] = [];
  const turned = turnedIn(found);
  if (turned && side.sha) {
    const { flip: _, turn: __, ...reading } = side.reading ?? {};
    const read = { ...side, reading: { ...reading, ...readTurnedBack(side.reading ?? {}, turned) } };
    out.push({ title: titleOfTurn(found, 'on the way in'), press: () => setComparison({ b: read, laid: 'usual' }) });
  }
  const tone = untoned(found);
  if (tone && side.sha) {
    out.push({ title: 'Remove the tone curve', press: () => setComparison({ b: { ...side, steps: [...(side.steps ?? []), stepUse('linearise', tone)] } }) });
  }
  if (!tone && findings.some(({ kind }) => kind === 'height-scale' || kind === 'height-shift') && relation.scale > 0) {
    const [scale, lift] = [side.scale ?? 1, side.lift ?? 0];
    out.push({
      title: 'Read its heights on A’s scale',
      // Of heights that were read on a scale already.
      press: () => setComparison({ b: { ...side, scale: relation.scale * scale, lift: relation.lift * scale + lift } }),
    });
  }
  return out;
}

/** What one press puts right where B is the ground now: how its one file is read, or a step at the end of the course. */
function mendsOfNow(found: ComparedPicture, course: Course): Mend[] {
  const { findings, between, a, b } = found;
  const kinds = findings.map(({ kind }: ComparisonFinding) => kind);
  const end = () => ({ line: '', index: useTerrain.getState().course!.stem.length });
  const out: Mend[] = [];
  const turned = turnedIn(found);
  const sources = course.stem.filter(({ step, on }) => on && step === 'raster');
  const sha = sources.length === 1 && course.stem.indexOf(sources[0]) === 0 ? String(sources[0].params.asset) : '';
  if (turned && course.assets[sha]) {
    out.push({
      title: titleOfTurn(found, 'on the way in'),
      press: () =>
        change(titleOfTurn(found, 'on the way in'), (draft) => {
          const { flip: _, turn: __, ...reading } = draft.assets[sha].reading ?? {};
          draft.assets[sha].reading = { ...reading, ...readTurnedBack(draft.assets[sha].reading ?? {}, turned) };
        }),
    });
  }
  const tone = untoned(found);
  if (tone) out.push({ title: 'Remove the tone curve', press: () => addStep('linearise', end(), tone) });
  else if (kinds.includes('height-shift')) {
    const distance = -Math.round(between.mean * 1000) / 1000;
    out.push({ title: `Shift now by ${distance < 0 ? '−' : '+'}${Math.abs(distance)} m`, press: () => addStep('shift', end(), { distance }) });
  } else if (kinds.includes('height-scale')) {
    const round = (v: number) => Math.round(v * 10) / 10;
    const params = { fromLow: round(b.lowest), toLow: round(a.lowest), fromHigh: round(b.highest), toHigh: round(a.highest) };
    out.push({ title: 'Stretch now to A’s range', press: () => addStep('stretch', end(), params) });
  }
  return out;
}
