import { ArrowLeftRight, Download } from 'lucide-react';
import { useMemo, useState, type ReactNode } from 'react';
import { safeName, type Compared, type Comparison } from '@upland-cast/core';
import { Button, NumberField, Row, Select } from '../../components/controls';
import { download } from '../../components/download';
import { Part } from '../../components/Facts';
import { useEngineQuery } from '../../components/use-engine-query';
import { figure } from '../../components/format';
import type { ComparedPicture } from '../../engine/api';
import { engine, hearing } from '../../engine/client';
import {
  areMesh,
  comparisonOf,
  exchangeSides,
  keepComparison,
  removeComparison,
  setComparison,
  sourceOf,
  takeSideHeights,
  takeSideMesh,
} from '../../store/compare';
import { fullGround, stopWork } from '../../store/evaluation';
import { useTerrain } from '../../store/state';
import type { Brought } from '../import/files';
import { ImportDialog } from '../import/ImportDialog';
import { ComparedLand } from './ComparedLand';
import { ComparedView } from './ComparedView';
import { ComparedSection } from './ComparedSection';
import { Findings } from './Findings';
import { Histograms } from './Histograms';
import { Numbers } from './Numbers';
import { Parts } from './Parts';
import { SideCard } from './SideCard';
import { sheetOf } from './sheet';
import css from './CompareRoom.module.css';

const LAID: Record<Comparison['laid'], string> = {
  usual: 'As is usual',
  ground: 'The same ground, in metres',
  georeference: 'Where they lie on the map',
  size: 'The same size',
  corner: 'Corner on corner, sample by sample',
  fit: 'As they fit best',
};

/** Two grounds held against each other: seen together, measured, and what lies between them said in words. */
export function CompareRoom() {
  const course = useTerrain((s) => s.course)!;
  const comparison = comparisonOf(course);
  const { a, b } = comparison;
  const [tolerance, setTolerance] = useState(0);
  const [choosing, setChoosing] = useState<{ side: 'a' | 'b'; files: Brought[] } | null>(null);
  const { found, refused, standing } = useComparing(comparison);
  const take = (side: 'a' | 'b') => (files: File[]) => {
    if (areMesh(files)) void takeSideMesh(side, files);
    else setChoosing({ side, files: files.slice(0, 1).map((file) => ({ name: file.name, file })) });
  };
  const set = (side: 'a' | 'b') => (to: Compared) => setComparison({ [side]: to });
  return (
    <main className={css.room}>
      <h2 className="only-read">Both sides</h2>
      <div className={css.left}>
        <div className={css.sides}>
          <SideCard side="a" value={a} ground={found?.sizes.a} facts={found?.facts.a} onChange={set('a')} onFiles={take('a')} />
          <Button aria-label="Exchange the sides" title="Exchange the sides" onClick={exchangeSides}>
            <ArrowLeftRight size={14} /> Exchange
          </Button>
          <SideCard side="b" value={b} ground={found?.sizes.b} facts={found?.facts.b} onChange={set('b')} onFiles={take('b')} />
        </div>
        <ComparedView found={found} tolerance={tolerance} standing={standing} />
        <ComparedSection found={found} />
      </div>
      <aside className={css.panel} aria-label="What lies between them">
        {refused && (
          <p className={css.fault} role="alert">
            {refused}
          </p>
        )}
        <Between comparison={comparison} found={found} tolerance={tolerance} onTolerance={setTolerance} />
        <KeepPart comparison={comparison} found={found} tolerance={tolerance} />
      </aside>
      {choosing && (
        <ImportDialog
          files={choosing.files}
          side={choosing.side === 'a' ? 'A' : 'B'}
          onClose={() => setChoosing(null)}
          onTaken={({ assets, steps }) => {
            const [[sha, { name: file, reading }]] = Object.entries(assets);
            takeSideHeights(choosing.side, file, sha, reading, steps.slice(1));
            setChoosing(null);
          }}
        />
      )}
    </main>
  );
}

interface BetweenProps {
  comparison: Comparison;
  found: ComparedPicture | null;
  tolerance: number;
  onTolerance: (metres: number) => void;
}

/** What lies between the sides: in words, and in numbers. */
function Between({ comparison: { b, laid }, found, tolerance, onTolerance }: BetweenProps) {
  return (
    <>
      {found && <Findings found={found} laid={laid} b={b} />}
      <Part title="Laid on each other">
        <Row label="By">
          <Select label="Laid on each other by" value={laid} choices={LAID} onChange={(by) => setComparison({ laid: by })} />
        </Row>
        {found && <p className={css.note}>{fitInWords(found.fit)}</p>}
      </Part>
      {found && (
        <>
          <Numbers found={found} tolerance={tolerance} />
          <Row label="Tolerance" help="Samples that lie further off are marked in the difference, and counted. 0: none.">
            <NumberField label="Tolerance" unit="m" value={tolerance} min={0} max={10_000} step={0.01} onChange={onTolerance} />
          </Row>
          <Histograms histogram={found.histogram} />
          <ComparedLand found={found} />
          {(['a', 'b'] as const).map((side) => found.facts[side].parts && <Parts key={side} side={side} report={found.facts[side].parts} />)}
        </>
      )}
    </>
  );
}

/** Both sides held against each other, anew when one of them changes; and how that stands, while there is something to say. */
function useComparing({ a, b, laid }: Comparison): { found: ComparedPicture | null; refused: string | null; standing: ReactNode } {
  const course = useTerrain((s) => s.course)!;
  const terrain = useTerrain((s) => s.id)!;
  // Only what the sides are made of counts: a kept view or a spot changes neither.
  const made = useMemo(() => [course.stem, course.tributaries, course.ground, course.rock], [course.stem, course.tributaries, course.ground, course.rock]);
  const working = useTerrain((s) => s.working);
  const [told, setTold] = useState<{ words: string; share: number } | null>(null);
  const [stopped, setStopped] = useState(false);
  const [round, setRound] = useState(0);
  const ask = async () => {
    setStopped(false);
    // What the page works out anyway is not worked out beside it once more.
    if ([a, b].some(({ kind }) => kind === 'now' || kind === 'step' || kind === 'tributary')) await fullGround(600_000);
    const [from, to] = [await sourceOf(a, course, terrain), await sourceOf(b, course, terrain)];
    if (typeof from === 'string') return { ok: false as const, stopped: false, code: 'no-side', sentence: `A: ${from}` };
    if (typeof to === 'string') return { ok: false as const, stopped: false, code: 'no-side', sentence: `B: ${to}` };
    const answer = await hearing(
      (words: string, share: number) => setTold({ words, share }),
      (tell) => engine().compare({ a: from, b: to, laid }, tell),
    );
    setTold(null);
    return answer;
  };
  const { value: found, fault: refused, waiting } = useEngineQuery(ask, [JSON.stringify([a, b, laid]), made, round], 150);
  const stop = () => {
    if (working) stopWork();
    void engine().stopComparing();
    setStopped(true);
  };
  const standing = stopped ? (
    <>
      Stopped. <Button onClick={() => setRound(round + 1)}>Compare them</Button>
    </>
  ) : waiting ? (
    <>
      {working
        ? `The ground is worked out first: ${working.step}, ${figure(100 * working.share, 0)} %`
        : told
          ? `${told.words}${told.share < 1 ? `, ${figure(100 * told.share, 0)} %` : ''} …`
          : 'Held against each other …'}{' '}
      <Button look="quiet" onClick={stop}>
        Stop
      </Button>
    </>
  ) : null;
  return { found, refused, standing };
}

/** Comparisons that are kept, and what is written of this one. */
function KeepPart({ comparison, found, tolerance }: { comparison: Comparison; found: ComparedPicture | null; tolerance: number }) {
  const course = useTerrain((s) => s.course)!;
  const [fault, setFault] = useState<string | null>(null);
  const [name, setName] = useState('');
  const writeDifference = async () => {
    if (!found) return;
    const file = `${safeName(course.name)}-difference.tif`;
    const answer = await engine().differenceFile(found.id, file);
    setFault(answer.ok ? null : answer.sentence);
    if (answer.ok) download(file, answer.value, 'image/tiff');
  };
  const writeSheet = async (kind: 'html' | 'json') => {
    if (!found) return;
    const land = await engine().compareLand(found.id);
    const { text, type } = sheetOf(course, comparison, found, land.ok ? land.value : null, tolerance, kind);
    download(`${safeName(course.name)}-comparison.${kind}`, new TextEncoder().encode(text), type);
  };
  return (
    <Part title="Keep it">
      <form
        className={css.keep}
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) keepComparison(name.trim());
          setName('');
        }}
      >
        <input aria-label="Name of the comparison" placeholder="Name" maxLength={80} value={name} onChange={(event) => setName(event.target.value)} />
        <Button type="submit">Keep</Button>
      </form>
      <KeptComparisons />
      <div className={css.files}>
        <Button disabled={!found} onClick={() => void writeSheet('html')}>
          <Download size={13} /> Sheet
        </Button>
        <Button disabled={!found} onClick={() => void writeSheet('json')}>
          <Download size={13} /> Sheet, JSON
        </Button>
        <Button disabled={!found} onClick={() => void writeDifference()}>
          <Download size={13} /> Difference
        </Button>
      </div>
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
    </Part>
  );
}

function KeptComparisons() {
  const kept = useTerrain((s) => s.course!.comparisons);
  return (
    <ul className={css.kept}>
      {kept.map((one) => (
        <li key={one.name}>
          <Button look="quiet" onClick={() => setComparison(one)}>
            {one.name}
          </Button>
          <Button look="quiet" aria-label={`Remove ${one.name}`} onClick={() => removeComparison(one.name)}>
            Remove
          </Button>
        </li>
      ))}
    </ul>
  );
}

const ORIENTED: Record<string, string> = {
  none: 'no turn or flip',
  'flip-rows': 'rows turned over',
  'flip-columns': 'columns turned over',
  'turn-90': 'turned by 90°',
  'turn-180': 'turned by 180°',
  'turn-270': 'turned by 270°',
  transpose: 'rows and columns exchanged',
  'anti-transpose': 'rows and columns exchanged and turned',
};

function fitInWords({ placement, shift, scale, lift, correlation }: NonNullable<Parameters<typeof Findings>[0]['found']>['fit']): string {
  const signed = (v: number, digits: number) => `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(digits)}`;
  return `Best fit: ${ORIENTED[placement.orientation]}, moved ${signed(shift.east, 1)} samples east and ${signed(shift.south, 1)} south, heights × ${scale.toFixed(3)} ${signed(lift, 1)} m, correlation ${correlation.toFixed(4)}.`;
}
