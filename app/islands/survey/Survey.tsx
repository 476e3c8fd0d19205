import L from 'leaflet';
import 'leaflet/dist/leaflet.css';
import { Grid3x3, MoveRight } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { borders, COUNTRY, MOST_SURVEYED, places, roads, sentenceOf, SURVEY_SPACINGS, type AssetReading } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch, Toggles } from '../../components/controls';
import { figure } from '../../components/format';
import { Logo } from '../../components/Logo';
import { storageSentence } from '../../storage/room';
import { addTerrain } from '../../storage/terrains';
import type { SurveyFacts } from '../../survey/work';
import { Boundary } from '../../components/Boundary';
import { ImportDialog } from '../import/ImportDialog';
import type { Brought } from '../import/files';
import { courseOf } from '../import/taken';
import css from './Survey.module.css';

const FORMATS = { tiff: 'GeoTIFF', png: 'PNG, 16 bits', asc: 'ASCII grid', jpeg: 'JPEG' } as const;
type Format = keyof typeof FORMATS;

interface Frame {
  east: number;
  south: number;
  width: number;
  depth: number;
}

/** Leaflet counts up northwards in units of the tiles at zoom 0. */
const UNIT = 360;
const at = (east: number, south: number): L.LatLngTuple => [-south / UNIT, east / UNIT];

/** The survey archive: a map of the country, a frame to drag, the facts of what it would give, and the way in. */
export function Survey() {
  return (
    <Boundary part="The survey archive">
      <Archive />
    </Boundary>
  );
}

function Archive() {
  const host = useRef<HTMLDivElement>(null);
  const map = useRef<L.Map | null>(null);
  const [floor, setFloor] = useState(true);
  const [ways, setWays] = useState(true);
  const [names, setNames] = useState(true);
  const [shading, setShading] = useState<'view' | 'country'>('country');
  const [range, setRange] = useState<{ low: number; high: number } | null>(null);
  const [view, setView] = useState<Frame | null>(null);
  const [frame, setFrame] = useState<Frame>({ east: 36_000, south: 12_000, width: 10_240, depth: 10_240 });
  const [locked, setLocked] = useState(true);
  const [spacing, setSpacing] = useState<(typeof SURVEY_SPACINGS)[number]>(10);
  const [format, setFormat] = useState<Format>('tiff');
  const [facts, setFacts] = useState<SurveyFacts | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [brought, setBrought] = useState<{ files: Brought[]; settled: AssetReading } | null>(null);

  useEffect(() => {
    const made = L.map(host.current!, {
      crs: L.CRS.Simple,
      minZoom: 0,
      maxZoom: 6,
      zoomSnap: 0.5,
      attributionControl: false,
      maxBounds: L.latLngBounds(at(-9_000, COUNTRY.depth + 9_000), at(COUNTRY.width + 9_000, -9_000)),
    });
    map.current = made;
    made.fitBounds(L.latLngBounds(at(0, COUNTRY.depth), at(COUNTRY.width, 0)));
    const see = () => {
      const b = made.getBounds();
      setView({
        east: b.getWest() * UNIT,
        south: -b.getNorth() * UNIT,
        width: (b.getEast() - b.getWest()) * UNIT,
        depth: (b.getNorth() - b.getSouth()) * UNIT,
      });
    };
    see();
    made.on('moveend', see);
    return () => {
      made.remove();
      map.current = null;
    };
  }, []);

  // The range that tints run over: of this view, or of the whole country.
  useEffect(() => {
    if (!view) return;
    const of = shading === 'view' ? view : { east: 0, south: 0, width: COUNTRY.width, depth: COUNTRY.depth };
    const stop = new AbortController();
    void fetch(`/api/survey/range?${query(of)}&floor=${floor ? 1 : 0}`, { signal: stop.signal })
      .then((answer) => answer.json())
      .then((answer) => 'low' in answer && setRange({ low: Math.floor(answer.low / 10) * 10, high: Math.ceil(answer.high / 10) * 10 }))
      .catch(() => undefined);
    return () => stop.abort();
  }, [view, shading, floor]);

  useEffect(() => {
    if (!map.current || !range) return;
    const layer = L.tileLayer(`/api/survey/tiles/{z}/{x}/{y}?low=${range.low}&high=${range.high}&floor=${floor ? 1 : 0}`, {
      minNativeZoom: 0,
      maxNativeZoom: 5,
      maxZoom: 6,
      bounds: L.latLngBounds(at(0, COUNTRY.depth), at(COUNTRY.width, 0)),
      noWrap: true,
    }).addTo(map.current);
    layer.setZIndex(1);
    return () => void layer.remove();
  }, [range, floor]);

  useEffect(() => {
    if (!map.current || !ways) return;
    const group = L.layerGroup([
      ...roads.flatMap((line) => [
        L.polyline(
          line.map(([e, s]) => at(e, s)),
          { color: '#fbf9f3', weight: 4, opacity: 0.9, interactive: false },
        ),
        L.polyline(
          line.map(([e, s]) => at(e, s)),
          { color: '#9c4a23', weight: 2, interactive: false },
        ),
      ]),
      ...borders.map((line) =>
        L.polyline(
          line.map(([e, s]) => at(e, s)),
          { color: '#22292b', weight: 1.5, dashArray: '8 4 2 4', interactive: false },
        ),
      ),
    ]).addTo(map.current);
    return () => void group.remove();
  }, [ways]);

  useEffect(() => {
    if (!map.current || !names) return;
    const group = L.layerGroup(
      places.map((p) =>
        L.marker(at(p.east, p.south), {
          interactive: false,
          keyboard: false,
          icon: L.divIcon({ className: `${css.place} ${css[p.kind]}`, html: `<span>${p.name}</span>`, iconSize: [0, 0] }),
        }),
      ),
    ).addTo(map.current);
    return () => void group.remove();
  }, [names]);

  useFrameOn(map, frame, locked, setFrame);

  const kept = (next: Frame): Frame => {
    const width = Math.min(COUNTRY.width, Math.max(2 * spacing, Math.round(next.width / spacing) * spacing));
    const depth = Math.min(COUNTRY.depth, Math.max(2 * spacing, Math.round(next.depth / spacing) * spacing));
    const east = Math.min(COUNTRY.width - width, Math.max(0, Math.round(next.east / spacing) * spacing));
    const south = Math.min(COUNTRY.depth - depth, Math.max(0, Math.round(next.south / spacing) * spacing));
    return { east, south, width, depth };
  };
  const now = kept(frame);
  const [columns, rows] = [now.width / spacing, now.depth / spacing];
  const tooMany = columns * rows > MOST_SURVEYED;
  useEffect(() => setFacts(null), [now.east, now.south, now.width, now.depth, spacing]);

  const ask = async (path: string): Promise<Response> => {
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
  const look = () => whole(async () => setFacts((await (await ask(`/api/survey/facts?${query(now)}&spacing=${spacing}`)).json()) as SurveyFacts));
  const take = () =>
    whole(async () => {
      const answer = await ask(`/api/survey/extract?${query(now)}&spacing=${spacing}&format=${format}`);
      const name = /filename="([^"]+)"/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1] ?? 'velmarch.tif';
      const [low, high] = [answer.headers.get('X-Range-Low'), answer.headers.get('X-Range-High')];
      const map =
        low !== null && high !== null ? { code0: 0, height0: Number(low), code1: format === 'jpeg' ? 255 : 65_535, height1: Number(high) } : undefined;
      const settled: AssetReading = map ? { map, spacing: { x: spacing, y: spacing }, registration: 'area' } : {};
      setBrought({ files: [{ name, file: await answer.blob() }], settled });
    });

  return (
    <div className={css.page}>
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
      <main className={css.main}>
        <div className={css.mapBox}>
          <div ref={host} className={css.map} role="application" aria-label={`Map of ${COUNTRY.name}`} />
          {range && (
            <div className={`${css.legend} number`}>
              <b>{shading === 'view' ? 'Tints run over this view' : 'Tints run over the whole country'}</b>
              <span className={css.ramp} />
              <span>
                <i>{figure(Math.max(0, range.low), 0)} m</i>
                <i>{figure(range.high, 0)} m</i>
              </span>
              {shading === 'view' && <em>Relative: the same height has another tint elsewhere.</em>}
              {floor && range.low < 0 && <em>Sea floor down to {figure(range.low, 0)} m</em>}
            </div>
          )}
        </div>
        <aside className={css.side} aria-label="Extract">
          <fieldset className={css.group}>
            <legend>Map</legend>
            <Row label="Tints over">
              <Segments label="Tints over" value={shading} choices={{ country: 'The country', view: 'This view' }} onChange={setShading} />
            </Row>
            <Toggles
              label="Shown"
              items={[
                { key: 'floor', text: 'Sea floor', on: floor, onToggle: () => setFloor(!floor) },
                { key: 'ways', text: 'Roads, borders', on: ways, onToggle: () => setWays(!ways) },
                { key: 'names', text: 'Names', on: names, onToggle: () => setNames(!names) },
              ]}
            />
          </fieldset>
          <fieldset className={css.group}>
            <legend>Frame</legend>
            <p className={`${css.size} number`}>
              {figure(now.width / 1000, 2)} × {figure(now.depth / 1000, 2)} km · {figure(columns, 0)} × {figure(rows, 0)} samples
            </p>
            {tooMany && (
              <p className={css.caution}>
                That is more than the {figure(MOST_SURVEYED, 0)} samples of one extract. Make it smaller, or take a coarser spacing.
              </p>
            )}
            <div className={css.numbers}>
              <NumberField
                label="Width"
                unit="m wide"
                value={now.width}
                min={2 * spacing}
                max={COUNTRY.width}
                step={spacing}
                onChange={(width) => setFrame(kept({ ...frame, width, depth: locked ? (frame.depth * width) / frame.width : frame.depth }))}
              />
              <NumberField
                label="Depth"
                unit="m deep"
                value={now.depth}
                min={2 * spacing}
                max={COUNTRY.depth}
                step={spacing}
                onChange={(depth) => setFrame(kept({ ...frame, depth, width: locked ? (frame.width * depth) / frame.depth : frame.width }))}
              />
              <NumberField
                label="East edge of the country's corner"
                unit="m E"
                value={now.east}
                min={0}
                max={COUNTRY.width}
                step={spacing}
                onChange={(east) => setFrame(kept({ ...frame, east }))}
              />
              <NumberField
                label="South of the country's corner"
                unit="m S"
                value={now.south}
                min={0}
                max={COUNTRY.depth}
                step={spacing}
                onChange={(south) => setFrame(kept({ ...frame, south }))}
              />
            </div>
            <Row label="Keep its shape" help="Width and depth grow together.">
              <Switch label="Keep its shape" on={locked} onChange={setLocked} />
            </Row>
            <Button
              onClick={() => {
                const side = Math.min(frame.width, frame.depth);
                setFrame(kept({ ...frame, width: side, depth: side }));
              }}
            >
              <Grid3x3 size={13} /> Make it square
            </Button>
            <Button
              look="quiet"
              onClick={() => {
                const c = map.current!.getCenter();
                setFrame(kept({ ...frame, east: c.lng * UNIT - frame.width / 2, south: -c.lat * UNIT - frame.depth / 2 }));
              }}
            >
              Move the frame here
            </Button>
          </fieldset>
          <fieldset className={css.group}>
            <legend>What is taken</legend>
            <Row label="Spacing">
              <Segments
                label="Spacing"
                value={String(spacing) as '10' | '30' | '90'}
                choices={{ '10': '10 m', '30': '30 m', '90': '90 m' }}
                onChange={(v) => setSpacing(Number(v) as 10)}
              />
            </Row>
            <Row label="As">
              <Select label="As" value={format} choices={FORMATS} onChange={setFormat} />
            </Row>
            {format === 'png' && <p className={css.hint}>Whole codes: their range goes along, and holes stand at the lowest.</p>}
            {format === 'jpeg' && <p className={css.caution}>A JPEG keeps 256 levels and loses fine forms in blocks. Take it only to see what that does.</p>}
            <Button disabled={busy || tooMany} onClick={() => void look()}>
              {busy ? 'Asking …' : 'Facts of it'}
            </Button>
            {facts && (
              <dl className={`${css.facts} number`}>
                {(
                  [
                    ['Lowest', `${figure(facts.lowest, 1)} m`],
                    ['Mean', `${figure(facts.mean, 1)} m`],
                    ['Highest', `${figure(facts.highest, 1)} m`],
                    ['Rows', figure(facts.rows, 0)],
                    ['Columns', figure(facts.columns, 0)],
                    ['Spacing', `${facts.spacing} m`],
                    ['Without a height', facts.holes ? `${figure(facts.holes, 0)} samples` : 'none'],
                    ['Codes of a PNG', `0 is ${figure(facts.codes.low, 0)} m, 65 535 is ${figure(facts.codes.high, 0)} m`],
                    ['On the map', `${figure(facts.west, 0)} E ${figure(facts.north, 0)} N`],
                  ] as const
                ).map(([label, value]) => (
                  <div key={label}>
                    <dt>{label}</dt>
                    <dd>{value}</dd>
                  </div>
                ))}
              </dl>
            )}
            {fault && (
              <p className={css.fault} role="alert">
                {fault}
              </p>
            )}
            <Button look="main" disabled={busy || tooMany} onClick={() => void take()}>
              Take it <MoveRight size={14} />
            </Button>
          </fieldset>
        </aside>
      </main>
      {brought && (
        <ImportDialog
          files={brought.files}
          settled={brought.settled}
          onClose={() => setBrought(null)}
          onTaken={(taken) => {
            void addTerrain(courseOf({ ...taken, name: `Velmarch, ${figure(now.width / 1000, 1)} km` })).then(
              (id) => (location.href = `/terrain?id=${id}`),
              (error) => {
                setBrought(null);
                setFault(storageSentence(error));
              },
            );
          }}
        />
      )}
    </div>
  );
}

const query = (frame: Frame) => new URLSearchParams(Object.entries(frame).map(([k, v]) => [k, String(Math.round(v))])).toString();

/** The frame on the map: dragged by its middle and its corners. */
function useFrameOn(map: React.RefObject<L.Map | null>, frame: Frame, locked: boolean, onChange: (frame: Frame) => void): void {
  const parts = useRef<{ box: L.Rectangle; corners: L.Marker[]; middle: L.Marker } | null>(null);
  const latest = useRef({ frame, locked, onChange });
  latest.current = { frame, locked, onChange };
  useEffect(() => {
    const on = map.current;
    if (!on) return;
    const box = L.rectangle(L.latLngBounds(at(0, 0), at(1, 1)), { color: '#9c4a23', weight: 2, fillOpacity: 0.08, interactive: false }).addTo(on);
    const handle = (className: string, title: string) =>
      L.marker(at(0, 0), { draggable: true, title, alt: title, icon: L.divIcon({ className, iconSize: [14, 14] }) }).addTo(on);
    const middle = handle(css.middle, 'Drag the frame');
    const corners = ['north-west', 'north-east', 'south-east', 'south-west'].map((name) => handle(css.corner, `Drag its ${name} corner`));
    middle.on('drag', () => {
      const { frame: f, onChange: put } = latest.current;
      const p = middle.getLatLng();
      put({ ...f, east: p.lng * UNIT - f.width / 2, south: -p.lat * UNIT - f.depth / 2 });
    });
    corners.forEach((corner, k) =>
      corner.on('drag', () => {
        const { frame: f, locked: keep, onChange: put } = latest.current;
        const p = corner.getLatLng();
        const [x, y] = [p.lng * UNIT, -p.lat * UNIT];
        const west = k === 0 || k === 3;
        const north = k < 2;
        const fixed = { x: west ? f.east + f.width : f.east, y: north ? f.south + f.depth : f.south };
        let width = Math.max(180, west ? fixed.x - x : x - fixed.x);
        let depth = Math.max(180, north ? fixed.y - y : y - fixed.y);
        if (keep) {
          const by = Math.max(width / f.width, depth / f.depth);
          [width, depth] = [f.width * by, f.depth * by];
        }
        width = Math.min(width, west ? fixed.x : COUNTRY.width - fixed.x);
        depth = Math.min(depth, north ? fixed.y : COUNTRY.depth - fixed.y);
        if (keep) {
          const by = Math.min(width / f.width, depth / f.depth);
          [width, depth] = [f.width * by, f.depth * by];
        }
        put({ east: west ? fixed.x - width : fixed.x, south: north ? fixed.y - depth : fixed.y, width, depth });
      }),
    );
    parts.current = { box, corners, middle };
    return () => {
      [box, middle, ...corners].forEach((part) => part.remove());
      parts.current = null;
    };
  }, [map]);
  useEffect(() => {
    const on = parts.current;
    if (!on) return;
    const { east, south, width, depth } = frame;
    on.box.setBounds(L.latLngBounds(at(east, south + depth), at(east + width, south)));
    on.middle.setLatLng(at(east + width / 2, south + depth / 2));
    [
      [east, south],
      [east + width, south],
      [east + width, south + depth],
      [east, south + depth],
    ].forEach(([x, y], k) => on.corners[k].setLatLng(at(x, y)));
  }, [frame]);
}
