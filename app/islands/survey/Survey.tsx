import 'leaflet/dist/leaflet.css';
import { useEffect, useRef, useState, type RefObject } from 'react';
import { COUNTRY, MOST_SURVEYED, sentenceOf, type AssetReading } from '@upland-cast/core';
import { Row, Segments, Toggles } from '../../components/controls';
import { figure } from '../../components/format';
import { Logo } from '../../components/Logo';
import { storageSentence } from '../../storage/room';
import { addTerrain } from '../../storage/terrains';
import type { SurveyFacts } from '../../survey/work';
import { Boundary } from '../../components/Boundary';
import { ImportDialog } from '../import/ImportDialog';
import type { Brought } from '../import/files';
import { courseOf, type Taken } from '../import/taken';
import { keptFrame, query, type Frame } from './frame';
import { FramePart, Legend, TakePart, type Format, type Spacing } from './parts';
import { middleOf, useFrameOn, useNames, useSurveyMap, useTintRange, useTints, useWays } from './survey-map';
import css from './Survey.module.css';

/** The survey archive: a map of the country, a frame to drag, the facts of what it would give, and the way in. */
export function Survey() {
  return (
    <Boundary part="The survey archive">
      <Archive />
    </Boundary>
  );
}

function Head() {
  return (
    <header className={css.header}>
      <a className={css.brand} href="/" title="All terrains">
        <Logo /> <span>Upland Cast</span>
      </a>
      <h1>Survey archive</h1>
      <span>The country of {COUNTRY.name}, made up: a stand-in for the elevation services there are.</span>
      <a className={css.help} href="/help">
        Help
      </a>
    </header>
  );
}

/** What the archive is asked of a frame: the facts of what it would give, and the file itself. */
function useExtract(now: Frame, spacing: Spacing, format: Format) {
  const [facts, setFacts] = useState<SurveyFacts | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [brought, setBrought] = useState<{ files: Brought[]; settled: AssetReading } | null>(null);
  useEffect(() => setFacts(null), [now.east, now.south, now.width, now.depth, spacing]);
  const answerTo = async (path: string): Promise<Response> => {
    const answer = await fetch(path);
    if (answer.ok) return answer;
    const said = (await answer.json().catch(() => null)) as { sentence?: string } | null;
    throw new Error(said?.sentence ?? `The survey answered ${answer.status}.`);
  };
  const whole = async (work: () => Promise<void>) => {
    setBusy(true);
    setFault(null);
    try {
      await work();
    } catch (error) {
      setFault(sentenceOf(error));
    } finally {
      setBusy(false);
    }
  };
  const ask = () => whole(async () => setFacts((await (await answerTo(`/api/survey/facts?${query(now)}&spacing=${spacing}`)).json()) as SurveyFacts));
  const take = () =>
    whole(async () => {
      const answer = await answerTo(`/api/survey/extract?${query(now)}&spacing=${spacing}&format=${format}`);
      const name = /filename="([^"]+)"/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1] ?? 'velmarch.tif';
      const [low, high] = [answer.headers.get('X-Range-Low'), answer.headers.get('X-Range-High')];
      const map =
        low !== null && high !== null ? { code0: 0, height0: Number(low), code1: format === 'jpeg' ? 255 : 65_535, height1: Number(high) } : undefined;
      const settled: AssetReading = map ? { map, spacing: { x: spacing, y: spacing }, registration: 'area' } : {};
      setBrought({ files: [{ name, file: await answer.blob() }], settled });
    });
  /** Makes a terrain of what was brought, and goes there. */
  const begin = (taken: Taken) =>
    void addTerrain(courseOf({ ...taken, name: `Velmarch, ${figure(now.width / 1000, 1)} km` })).then(
      (id) => (location.href = `/terrain?id=${id}`),
      (error) => {
        setBrought(null);
        setFault(storageSentence(error));
      },
    );
  return { facts, fault, busy, brought, setBrought, ask, take, begin };
}

/** What the map shows. */
interface MapLook {
  floor: boolean;
  ways: boolean;
  names: boolean;
  /** What the tints are spread over. */
  shading: 'view' | 'country';
}

function MapPart({ look, onLook }: { look: MapLook; onLook: (look: MapLook) => void }) {
  const toggle = (key: 'floor' | 'ways' | 'names', text: string) => ({ key, text, on: look[key], onToggle: () => onLook({ ...look, [key]: !look[key] }) });
  return (
    <fieldset className={css.group}>
      <legend>Map</legend>
      <Row label="Tints over">
        <Segments
          label="Tints over"
          value={look.shading}
          choices={{ country: 'The country', view: 'This view' }}
          onChange={(shading) => onLook({ ...look, shading })}
        />
      </Row>
      <Toggles label="Shown" items={[toggle('floor', 'Sea floor'), toggle('ways', 'Roads, borders'), toggle('names', 'Names')]} />
    </fieldset>
  );
}

/** The map on its element as it is to look; `range`: what the tints are spread over, metres. */
function useMapLook(host: RefObject<HTMLDivElement | null>, { floor, ways, names, shading }: MapLook) {
  const { map, view } = useSurveyMap(host);
  const range = useTintRange(view, shading, floor);
  useTints(map, range, floor);
  useWays(map, ways);
  useNames(map, names);
  return { map, range };
}

function Archive() {
  const host = useRef<HTMLDivElement>(null);
  const [look, setLook] = useState<MapLook>({ floor: true, ways: true, names: true, shading: 'country' });
  const [frame, setFrame] = useState<Frame>({ east: 36_000, south: 12_000, width: 10_240, depth: 10_240 });
  const [locked, setLocked] = useState(true);
  const [spacing, setSpacing] = useState<Spacing>(10);
  const [format, setFormat] = useState<Format>('tiff');

  const { map, range } = useMapLook(host, look);
  useFrameOn(map, frame, locked, setFrame);
  const now = keptFrame(frame, spacing);
  const here = () => {
    const { east, south } = middleOf(map);
    setFrame(keptFrame({ ...frame, east: east - frame.width / 2, south: south - frame.depth / 2 }, spacing));
  };
  const tooMany = (now.width / spacing) * (now.depth / spacing) > MOST_SURVEYED;
  const { facts, fault, busy, brought, setBrought, ask, take, begin } = useExtract(now, spacing, format);

  return (
    <div className={css.page}>
      <Head />
      <main className={css.main}>
        <div className={css.mapBox}>
          <div ref={host} className={css.map} role="application" aria-label={`Map of ${COUNTRY.name}`} />
          {range && <Legend range={range} shading={look.shading} floor={look.floor} />}
        </div>
        <aside className={css.side} aria-label="Extract">
          <MapPart look={look} onLook={setLook} />
          <FramePart frame={frame} spacing={spacing} locked={locked} onLock={setLocked} onChange={setFrame} onHere={here} />
          <TakePart
            {...{ spacing, format, facts, fault, busy, tooMany }}
            onSpacing={setSpacing}
            onFormat={setFormat}
            onLook={() => void ask()}
            onTake={() => void take()}
          />
        </aside>
      </main>
      {brought && <ImportDialog files={brought.files} settled={brought.settled} onClose={() => setBrought(null)} onTaken={begin} />}
    </div>
  );
}
