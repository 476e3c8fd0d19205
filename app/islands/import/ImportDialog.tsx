import { useEffect, useRef, useState, type ReactNode, type ComponentProps } from 'react';
import { makeGround, sentenceOf, stepUse, withSamples, type AssetReading, type Ground } from '@upland-cast/core';
import { Button, NumberField, Row, Segments } from '../../components/controls';
import { bytes as bytesText, figure } from '../../components/format';
import { engine, hearing } from '../../engine/client';
import type { HeightsLook, Kept, Look, LookFinding, OpenedFile } from '../../engine/api';
import { Facts, Laid, Meaning, Samples } from './Assumed';
import { CropFrame } from './CropFrame';
import type { Brought } from './files';
import { Found } from './Found';
import { MosaicSheet } from './MosaicSheet';
import { Refused } from './Refused';
import { PixelPicture } from './PixelPicture';
import { RawChoice } from './RawChoice';
import type { Taken } from './taken';
import css from './ImportDialog.module.css';

interface Props {
  files: Brought[];
  /** What is known of the file's numbers beforehand, such as the range that a docket gives. */
  settled?: AssetReading;
  /** The ground it is to go into; left out: a new terrain. */
  into?: Ground;
  /** It becomes no ground: a side of a comparison, by its letter. */
  side?: 'A' | 'B';
  onClose: () => void;
  onTaken: (taken: Taken) => void;
}

/** The sheet that files go through on their way in: what they are, what is assumed, what is wrong with them, and the effect at once. */
export function ImportDialog({ files, settled, into, side, onClose, onTaken }: Props) {
  const ref = useRef<HTMLDialogElement>(null);
  const [opened, setOpened] = useState<OpenedFile[] | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  useEffect(() => {
    if (!ref.current!.open) ref.current!.showModal();
    let gone = false;
    void (async () => {
      try {
        const read = await Promise.all(files.map(async ({ name, file }) => ({ name, bytes: new Uint8Array(await file.arrayBuffer()) })));
        const answer = await engine().openFiles(read);
        if (gone) return;
        if (answer.ok) setOpened(answer.value);
        else setFault(answer.sentence);
      } catch (error) {
        if (!gone) setFault(sentenceOf(error));
      }
    })();
    return () => {
      gone = true;
      void engine().stopLooking();
    };
  }, [files]);
  const title = files.length === 1 ? files[0].name : `${files.length} files`;
  const handleOf = (name: string) => files.find((f) => f.name === name)?.handle;
  return (
    <dialog ref={ref} className={css.sheet} aria-label={side ? `Side ${side}: ${title}` : `Import ${title}`} onClose={onClose}>
      <header className={css.head}>
        <h2>{side ? `Side ${side}` : 'Import'}</h2>
        <span className={css.name}>{title}</span>
        <span className="number">{bytesText(files.reduce((sum, f) => sum + f.file.size, 0))}</span>
      </header>
      {fault ? (
        <Refused sentence={fault} onClose={onClose} />
      ) : !opened ? (
        <p className={css.waiting}>Reading …</p>
      ) : opened.length > 1 ? (
        <MosaicSheet opened={opened} handleOf={handleOf} onClose={onClose} onTaken={onTaken} />
      ) : (
        <OneFile file={opened[0]} handle={handleOf(opened[0].name)} settled={settled} into={into} side={side} onClose={onClose} onTaken={onTaken} />
      )}
    </dialog>
  );
}

interface OneProps {
  file: OpenedFile;
  handle?: FileSystemFileHandle;
  settled?: AssetReading;
  into?: Ground;
  side?: 'A' | 'B';
  onClose: () => void;
  onTaken: (taken: Taken) => void;
}

function OneFile({ file, handle, settled: before, into, side, onClose, onTaken }: OneProps) {
  const [settled, setSettled] = useState<AssetReading>(before ?? {});
  const { look, fault, setFault, share, found } = useLook(file, settled);
  const [mended, setMended] = useState<Set<string>>(new Set());
  const [shown, setShown] = useState<string | null>(null);
  const [becomes, setBecomes] = useState<Becomes>({ fit: 'whole', samples: null, stretch: null });
  const [taking, setTaking] = useState(false);

  const set = (part: Partial<AssetReading>) => setSettled((s) => clean({ ...s, ...part }));
  const heights = look?.kind === 'heights' ? look : null;

  const take = async () => {
    if (!heights) return;
    setTaking(true);
    const kept = await engine().keepFile(file.id);
    if (!kept.ok) {
      setFault(kept.sentence);
      setTaking(false);
      return;
    }
    // A setting was changed a moment ago: what was pressed stays pressed, with the numbers that it has now.
    const now = found ?? (await findingsNow(file.id, settled));
    onTaken(takenOf(heights, kept.value, becomes, { now, mended, into, handle }));
  };

  if (look?.kind === 'raw') {
    return <RawChoice look={look} onChoose={(as) => set({ as })} onClose={onClose} fault={fault} settled={settled} />;
  }
  const drape = shown && found?.find((f) => f.id === shown)?.drape;
  return (
    <>
      <div className={css.body}>
        <section className={css.left} aria-label="Picture">
          <LookPicture share={share} heights={heights !== null} onStop={onClose}>
            {heights && <Relief look={heights} name={file.name} drape={drape || undefined} crop={settled.crop} onCrop={(crop) => set({ crop })} />}
          </LookPicture>
          {heights && <Effect look={heights} into={into} stretch={becomes.stretch} samples={becomes.samples} />}
          <Found
            found={found}
            waiting={share === null && heights !== null}
            mended={mended}
            shown={shown}
            onShow={setShown}
            onMend={(f) => (f.mend && 'reading' in f.mend ? set(f.mend.reading) : setMended((ids) => toggled(ids, f.id)))}
          />
        </section>
        <section className={css.right} aria-label="What it is and what is assumed">
          {heights && <Assumed look={heights} settled={settled} set={set} />}
          {heights && !side && <BecomesPart look={heights} into={into} becomes={becomes} onChange={(part) => setBecomes({ ...becomes, ...part })} />}
          {fault && (
            <p className={css.fault} role="alert">
              {fault}
            </p>
          )}
        </section>
      </div>
      <Foot
        words={side ? `Use it as ${side}` : into ? 'Bring it in' : 'Make a terrain of it'}
        ready={heights !== null && share === null && !taking}
        onTake={take}
        onClose={onClose}
      />
    </>
  );
}

function Foot({ words, ready, onTake, onClose }: { words: string; ready: boolean; onTake: () => Promise<void>; onClose: () => void }) {
  return (
    <footer className={css.foot}>
      <Button onClick={onClose}>Leave it</Button>
      <Button look="main" disabled={!ready} onClick={() => void onTake()}>
        {words}
      </Button>
    </footer>
  );
}

/** Without the one where it is there, and with it where it is not. */
function toggled(ids: ReadonlySet<string>, id: string): Set<string> {
  const next = new Set(ids);
  if (!next.delete(id)) next.add(id);
  return next;
}

/** The picture of a file, and how far its reading is; `heights`: there is something to see already. */
function LookPicture({ share, heights, onStop, children }: { share: number | null; heights: boolean; onStop: () => void; children: ReactNode }) {
  return (
    <div className={css.picture} aria-busy={share !== null}>
      {children}
      {share !== null && (
        <div className={css.progress} role="status">
          <span style={{ width: `${Math.round(share * 100)}%` }} />
          <b>{heights ? 'Reading again …' : `Reading, ${Math.round(share * 100)} %`}</b>
          <Button look="quiet" onClick={onStop}>
            Stop
          </Button>
        </div>
      )}
    </div>
  );
}

/** A file as it is read now, and what is wrong with it; looked at anew when how it is read changes, with how much of that is done. */
function useLook(file: OpenedFile, settled: AssetReading) {
  const [look, setLook] = useState<Look | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [share, setShare] = useState<number | null>(0);
  const [found, setFound] = useState<LookFinding[] | null>(null);
  useEffect(() => {
    let gone = false;
    setShare(0);
    setFault(null);
    const timer = setTimeout(() => {
      void (async () => {
        const answer = await hearing(
          (s: number) => !gone && setShare(s),
          (tell) => engine().look(file.id, settled, tell),
        );
        if (gone || (!answer.ok && answer.stopped)) return;
        setShare(null);
        if (!answer.ok) {
          setFault(answer.sentence);
          return;
        }
        setLook(answer.value);
        setFound(null);
        if (answer.value.kind === 'raw') return;
        const wrong = await engine().findings(file.id, settled);
        if (gone || !wrong.ok) return;
        setFound(wrong.value);
      })();
    }, 120);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [file.id, settled]);
  return { look, fault, setFault, share, found };
}

/** What a file becomes. */
interface Becomes {
  /** Into a ground that is there: fitted to it, or in its own size. */
  fit: 'whole' | 'own';
  /** Of a new ground; null: the file's own. */
  samples: { across: number; down: number } | null;
  /** Heights that its lowest and highest are stretched to. */
  stretch: { low: number; high: number } | null;
}

interface TakenWith {
  now: LookFinding[];
  mended: ReadonlySet<string>;
  into?: Ground;
  handle?: FileSystemFileHandle;
}

/** The file as a step on its ground, what mends it behind it. */
function takenOf(heights: HeightsLook, kept: Kept, { fit, samples, stretch }: Becomes, { now, mended, into, handle }: TakenWith): Taken {
  const { sha, name, bytes } = kept;
  const own = heights.ground;
  const ground = into ?? makeGround(samples ? withSamples(own, samples.across, samples.down) : own);
  const raster = stepUse('raster', {
    asset: sha,
    ...(into && fit === 'own' ? { width: own.width, depth: own.depth } : {}),
    ...(stretch ? { scaled: true, fullScale: stretch.high - stretch.low, level: stretch.low } : {}),
  });
  const mends = now.flatMap((f) => (f.mend && 'step' in f.mend && mended.has(f.id) ? [stepUse(f.mend.step, f.mend.params)] : []));
  return {
    name: name.replace(/\.[^.]*$/, '') || name,
    ground,
    assets: { [sha]: { name: name.slice(0, 200), bytes, reading: heights.settled } },
    steps: [raster, ...mends],
    handles: handle ? { [sha]: handle } : {},
  };
}

interface BecomesProps {
  look: HeightsLook;
  into?: Ground;
  becomes: Becomes;
  onChange: (part: Partial<Becomes>) => void;
}

/** What it becomes: a new ground at some samples, or a part of one; its heights as they are, or stretched. */
function BecomesPart({ look, into, becomes: { fit, samples, stretch }, onChange }: BecomesProps) {
  return (
    <fieldset className={css.group}>
      <legend>{into ? 'Into this terrain' : 'The new ground'}</legend>
      {into ? (
        <Row label="Laid over" help="The file keeps its own size, or is fitted to the ground.">
          <Segments label="Laid over" value={fit} choices={{ whole: 'The whole ground', own: 'Its own size' }} onChange={(to) => onChange({ fit: to })} />
        </Row>
      ) : (
        <Samples look={look} samples={samples} onChange={(to) => onChange({ samples: to })} />
      )}
      <Row label="Heights" help="The file's own metres, or stretched on purpose between two heights.">
        <Segments
          label="Heights"
          value={stretch ? 'stretch' : 'real'}
          choices={{ real: 'As they are', stretch: 'Stretched' }}
          onChange={(v) => onChange({ stretch: v === 'real' ? null : { low: look.lowest, high: look.highest } })}
        />
      </Row>
      {stretch && (
        <div className={css.pair}>
          <NumberField
            label="Lowest becomes"
            unit="m"
            value={stretch.low}
            min={-20_000}
            max={stretch.high - 0.001}
            step={0.1}
            onChange={(low) => onChange({ stretch: { ...stretch, low } })}
          />
          <NumberField
            label="Highest becomes"
            unit="m"
            value={stretch.high}
            min={stretch.low + 0.001}
            max={20_000}
            step={0.1}
            onChange={(high) => onChange({ stretch: { ...stretch, high } })}
          />
        </div>
      )}
    </fieldset>
  );
}

/** What the file says of itself, and what its numbers and its place are taken for. */
function Assumed(of: ComponentProps<typeof Meaning>) {
  return (
    <>
      <Facts look={of.look} />
      <Meaning {...of} />
      <Laid {...of} />
    </>
  );
}

/** The relief, with what was found laid over it, and the frame that cuts it out. */
function Relief({
  look,
  name,
  drape,
  crop,
  onCrop,
}: {
  look: HeightsLook;
  name: string;
  drape: LookFinding['drape'];
  crop: AssetReading['crop'];
  onCrop: (crop: AssetReading['crop']) => void;
}) {
  return (
    <>
      <PixelPicture picture={look.relief} className={css.relief} label={`Relief of ${name}`} />
      {drape && <PixelPicture picture={drape} className={css.drape} />}
      {crop && <WholeFrame look={look} crop={crop} onChange={onCrop} />}
    </>
  );
}

/** The frame is set on the picture of the whole file; the relief under it is what it cuts out. */
function WholeFrame({
  look,
  crop,
  onChange,
}: {
  look: HeightsLook;
  crop: NonNullable<AssetReading['crop']>;
  onChange: (crop: NonNullable<AssetReading['crop']>) => void;
}) {
  // Turned by a quarter, rows and columns have changed places.
  const turned = look.settled.turn === 90 || look.settled.turn === 270;
  const [across, down] = turned ? [look.facts.height, look.facts.width] : [look.facts.width, look.facts.height];
  return (
    <div className={css.frameBox} style={{ aspectRatio: `${across} / ${down}` }} title="The whole file; the frame is what is taken">
      <CropFrame crop={crop} across={across} down={down} onChange={onChange} />
    </div>
  );
}

function Effect({
  look,
  into,
  stretch,
  samples,
}: {
  look: HeightsLook;
  into?: Ground;
  stretch: { low: number; high: number } | null;
  samples: { across: number; down: number } | null;
}) {
  const { ground } = look;
  const [low, high] = stretch ? [stretch.low, stretch.high] : [look.lowest, look.highest];
  const counts = samples ?? ground;
  const step = ground.width / Math.max(1, counts.across - (ground.registration === 'point' ? 1 : 0));
  return (
    <p className={`${css.effect} number`}>
      {figure(low, 1)} to {figure(high, 1)} m{look.facts.inCodes && !stretch ? ' (a code taken as a metre)' : ''} · {figure(ground.width / 1000, 3)} ×{' '}
      {figure(ground.depth / 1000, 3)} km
      {into ? '' : ` · ${counts.across} × ${counts.down} samples, ${figure(step, 3)} m apart`} · steepest {figure(look.steepest, 0)}°
      {look.holes ? ` · ${look.holes} without a height` : ''}
    </p>
  );
}

async function findingsNow(id: number, settled: AssetReading): Promise<LookFinding[]> {
  const answer = await engine().findings(id, settled);
  return answer.ok ? answer.value : [];
}

const clean = (settled: AssetReading): AssetReading => Object.fromEntries(Object.entries(settled).filter(([, v]) => v !== undefined)) as AssetReading;
