import { Upload } from 'lucide-react';
import { useCallback, useEffect, useRef, useState } from 'react';
import { makeCourse, makeGround, spacingOf, stepUse, type Ground } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, SliderRow } from '../../components/controls';
import { SwitchRow } from '../../components/SettingRow';
import { Facts, Part } from '../../components/Facts';
import { Working, type Work } from '../../components/Working';
import { figure, metres, smallMetres } from '../../components/format';
import { engine, hearing } from '../../engine/client';
import type { Extent, PressRequest, PressResult } from '../../engine/api';
import { addTerrain } from '../../storage/terrains';
import { select } from '../../store/course';
import { keepMark } from '../../store/keeping';
import { change } from '../../store/history';
import { say, useTerrain } from '../../store/state';
import { BRING_IN, type Brought } from '../import/files';
import type { Made, Shown } from './shown';
import css from './MeshRoom.module.css';

/** Mesh files, looked at from straight above, to heights; then into the terrain as a raster step, or a terrain of its own. */
export function MeshToHeights({
  onShown,
  onCaption,
  made,
  dropped,
}: {
  onShown: (shown: Shown | null) => void;
  onCaption: (caption: string) => void;
  made: Made | null;
  /** Meshes that were dropped elsewhere in the page. */
  dropped: Made['files'] | null;
}) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [source, setSource] = useState<Made | null>(null);
  const [up, setUp] = useState<'found' | 'y' | 'z'>('found');
  const [scaling, setScaling] = useState<'own' | 'width' | 'ground'>('own');
  const [width, setWidth] = useState(course.ground.width);
  const [factor, setFactor] = useState(1);
  const [samples, setSamples] = useState(0);
  const [smooth, setSmooth] = useState(false);
  const [fill, setFill] = useState<PressRequest['fill']>('none');
  const [against, setAgainst] = useState(false);
  const [registration, setRegistration] = useState<Ground['registration']>('point');
  const [result, setResult] = useState<PressResult | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [extent, setExtent] = useState<Extent | null>(null);
  const [work, setWork] = useState<Work | null>(null);
  const asked = useRef(0);
  const chooser = useRef<HTMLInputElement>(null);
  const aspect = result ? result.size.depth / result.size.width : 1;

  const press = useCallback(async () => {
    if (!source) return;
    setWork({ words: 'Reading the mesh', share: 0 });
    setFault(null);
    const scale: PressRequest['scale'] = scaling === 'width' ? { by: 'width', width } : scaling === 'ground' ? { by: 'ground' } : { by: 'factor', factor };
    const mine = ++asked.current;
    const request: PressRequest = {
      files: source.files,
      up: up === 'found' ? undefined : up,
      scale,
      smooth,
      fill,
      extent: extent ?? undefined,
      againstGround: against,
      registration,
      ...(samples ? { across: samples, down: Math.max(2, Math.round((samples - 1) * aspect) + 1) } : {}),
    };
    const answer = await hearing(
      (words: string, share: number) => mine === asked.current && setWork({ words, share }),
      (tell) => engine().press(course, request, tell),
    );
    // A later question has taken its place.
    if (mine !== asked.current) return;
    setWork(null);
    if (!answer.ok && answer.stopped) return;
    if (!answer.ok && answer.code === 'is-a-heightmap') {
      // Heights go through the sheet that every file of heights goes through.
      setSource(null);
      const detail: Brought[] = source.files.map(({ name, bytes }) => ({ name, file: new Blob([bytes]) }));
      window.dispatchEvent(new CustomEvent(BRING_IN, { detail }));
      return;
    }
    if (!answer.ok) {
      setResult(null);
      setFault(`${source.name}: ${answer.sentence}`);
      onShown(null);
      onCaption('');
      return;
    }
    setResult(answer.value);
    onShown({ picture: answer.value.mesh });
    onCaption(`${source.name}: ${figure(answer.value.triangles, 0)} triangles`);
  }, [source, up, against, course, onShown, onCaption, scaling, width, factor, smooth, fill, samples, aspect, extent, registration]);

  useEffect(() => void press(), [press]);
  useEffect(() => {
    if (!source) {
      onShown(null);
      onCaption('No mesh yet');
    }
  }, [source, onShown, onCaption]);

  const choose = (mesh: Made) => {
    setResult(null);
    setSamples(0);
    setExtent(null);
    setSource(mesh);
  };
  const take = async (list: FileList | null | undefined) => {
    const files = await Promise.all([...(list ?? [])].map(async (file) => ({ name: file.name, bytes: new Uint8Array(await file.arrayBuffer()) })));
    if (files.length > 0) choose({ name: nameOf(files), files });
  };
  useEffect(() => {
    if (!dropped) return;
    useTerrain.setState({ meshFiles: null });
    setResult(null);
    setSamples(0);
    setExtent(null);
    setSource({ name: nameOf(dropped), files: dropped });
  }, [dropped]);
  const takeDemo = async () => {
    const answer = await fetch('/demo/sallow-pit.glb');
    choose({ name: 'sallow-pit.glb', files: [{ name: 'sallow-pit.glb', bytes: new Uint8Array(await answer.arrayBuffer()) }] });
  };
  const intoTerrain = async () => {
    if (!result || !source) return;
    await keepMark(`Before laying ${source.name}`, true);
    const { ground } = course;
    const { width, depth } = result.ground;
    // Smaller than the ground, it is set into the middle of it; as large, it takes its place.
    const part = width < 0.98 * ground.width || depth < 0.98 * ground.depth;
    const place = part ? { width, depth, beyond: 'ground', fade: Math.min(width, depth) / 12, sits: true } : {};
    const use = stepUse('raster', { asset: result.asset, ...place }, { name: source.name.slice(0, 80) });
    change('Lay a pressed mesh', (c) => {
      c.assets[result.asset] = { name: source.name, bytes: 0 };
      c.stem.push(use);
    });
    select(use.id);
    location.hash = 'work';
  };
  const ownTerrain = async () => {
    if (!result || !source) return;
    const made = makeCourse(source.name.replace(/\.[^.]+$/, ''), makeGround({ ...result.ground, sea: Math.floor(result.statistics.lowest) }), [
      stepUse('raster', { asset: result.asset }),
    ]);
    made.assets[result.asset] = { name: source.name, bytes: 0 };
    try {
      location.href = `/terrain?id=${await addTerrain(made)}`;
    } catch (error) {
      say(`The terrain could not be kept: ${String(error)}`);
    }
  };
  return (
    <>
      <Part title="Mesh">
        <div
          className={css.drop}
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            // Elsewhere in the page a file that is dropped is looked at first.
            event.stopPropagation();
            void take(event.dataTransfer.files);
          }}
        >
          <p>{source ? source.name : 'Drop an OBJ, PLY, STL, GLB or glTF here; several files that are parts of one mesh, together.'}</p>
          <div className={css.buttons}>
            <Button onClick={() => chooser.current?.click()}>
              <Upload size={13} /> Choose a mesh
            </Button>
            <Button onClick={() => void takeDemo()} title="A quarry as a modeller handed it over: benches, a ramp, an overhang, a hole.">
              Sallow Pit
            </Button>
            {made && (
              <Button onClick={() => choose(made)} title={made.name}>
                The one just written
              </Button>
            )}
          </div>
          <input
            ref={chooser}
            type="file"
            hidden
            multiple
            accept=".obj,.ply,.stl,.glb,.gltf,.bin,.mtl"
            aria-label="Mesh file"
            onChange={(event) => void take(event.target.files).then(() => void (event.target.value = ''))}
          />
        </div>
        <Row label="Up">
          <Segments label="Up" value={up} choices={{ found: result ? `Found: ${result.up.toUpperCase()}` : 'As found', y: 'Y', z: 'Z' }} onChange={setUp} />
        </Row>
        <Row label="Size" help="As it is: its own units are metres, times a factor. The aspect is kept.">
          <Segments label="Size" value={scaling} choices={{ own: 'As it is', width: 'Width', ground: 'Like this ground' }} onChange={setScaling} />
        </Row>
        {scaling === 'width' && (
          <Row label="Width">
            <NumberField label="Width of the mesh" value={width} unit="m" min={0.01} max={1e7} step={0.1} onChange={setWidth} />
          </Row>
        )}
        {scaling === 'own' && (
          <Row label="Metres a unit">
            <NumberField label="Metres a unit" value={factor} min={1e-6} max={1e6} step={0.0001} onChange={setFactor} />
          </Row>
        )}
        {result && scaling === 'own' && <UnitHint own={result.own.width * factor} ground={course.ground.width} onFactor={(by) => setFactor(factor * by)} />}
        {!against && (
          <Row label="Land" help="What of the mesh is pressed, in metres east and south of its origin. Beyond the mesh there are holes.">
            <Segments
              label="Land"
              value={extent ? 'typed' : 'whole'}
              choices={{ whole: 'The whole mesh', typed: 'An extent' }}
              onChange={(which) => setExtent(which === 'typed' && result ? result.plan : null)}
            />
          </Row>
        )}
        {!against && extent && <ExtentRows extent={extent} onChange={setExtent} />}
        {!against && (
          <Row
            label="Samples"
            help="On the edge: the outer ones lie on the border of the land. Middles of cells: they lie half a cell inside it, as survey files have them."
          >
            <Segments label="Where samples lie" value={registration} choices={{ point: 'On the edge', area: 'Middles of cells' }} onChange={setRegistration} />
          </Row>
        )}
        <SwitchRow label="Smooth between its corners" words="Smooth between its corners: the facets go, the corners stay" on={smooth} onChange={setSmooth} />
        <Row label="Holes" help="Filled so that the ground around them goes on. All: also around the mesh, where it does not reach the corners.">
          <Segments label="Holes" value={fill} choices={{ none: 'Left', inside: 'Fill inside', all: 'Fill all' }} onChange={setFill} />
        </Row>
        <SwitchRow
          label="Hold it against this terrain"
          words="Take heights from it at this terrain’s samples, and hold them against the ground"
          on={against}
          onChange={setAgainst}
        />
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
        {work && <Working work={work} onStop={() => void engine().stopMesh()} />}
        {source && !work && !result && !fault && (
          <div className={css.buttons}>
            <Button onClick={() => void press()}>Heights from mesh</Button>
          </div>
        )}
      </Part>
      {result && (
        <Part title="Heights">
          <Relief result={result} />
          {!against && (
            <SliderRow
              label="Samples across"
              value={samples || result.ground.across}
              min={2}
              max={4097}
              step={1}
              logarithmic
              onChange={(v) => setSamples(Math.round(v))}
              help="More than its triangles support only draws them over again."
            />
          )}
          <p className={css.note}>
            Its triangles average {metres(result.spacing)}; the samples are {metres(spacingOf(result.ground).x)} apart.
          </p>
          {result.odd.map((words) => (
            <p key={words} className={css.note}>
              {words}
            </p>
          ))}
          <Facts
            items={[
              ['samples', `${result.ground.across} × ${result.ground.down}`],
              ['size', `${metres(result.ground.width)} × ${metres(result.ground.depth)}`],
              ['range', `${figure(result.statistics.lowest, 2)} … ${figure(result.statistics.highest, 2)} m`],
              ['holes', `${figure(result.holes, 0)}${result.filled ? `, ${figure(result.filled, 0)} filled` : ''}`],
              ['under overhangs', figure(result.overhangs, 0)],
              ...((result.upright ? [['faces upright or without area', figure(result.upright, 0)]] : []) as [string, string][]),
              ...((result.facing.up && result.facing.down
                ? [['faces up / down', `${figure(result.facing.up, 0)} / ${figure(result.facing.down, 0)}`]]
                : []) as [string, string][]),
              ...(result.difference
                ? ([
                    ['largest difference', smallMetres(result.difference.maxAbs)],
                    ['RMS difference', smallMetres(result.difference.rmse)],
                  ] as [string, string][])
                : []),
            ]}
          />
          <div className={css.buttons}>
            <Button look="main" disabled={readOnly} onClick={() => void intoTerrain()}>
              Lay it over this terrain
            </Button>
            <Button onClick={() => void ownTerrain()}>A terrain of its own</Button>
          </div>
        </Part>
      )}
    </>
  );
}

const nameOf = (files: Made['files']) => (files.length === 1 ? files[0].name : `${files[0].name} and ${files.length - 1} more`);

const EDGES = { west: 'West', east: 'East', north: 'North', south: 'South' } as const;

/** The four edges of the land that is pressed. */
function ExtentRows({ extent, onChange }: { extent: Extent; onChange: (extent: Extent) => void }) {
  return (
    <>
      {(Object.keys(EDGES) as (keyof Extent)[]).map((edge) => (
        <Row key={edge} label={EDGES[edge]}>
          <NumberField
            label={`${EDGES[edge]} edge`}
            value={extent[edge]}
            unit="m"
            min={-1e7}
            max={1e7}
            step={0.1}
            onChange={(at) => onChange({ ...extent, [edge]: at })}
          />
        </Row>
      ))}
    </>
  );
}

/** A unit may have been mistaken: kilometres, centimetres or millimetres taken for metres. */
function UnitHint({ own, ground, onFactor }: { own: number; ground: number; onFactor: (by: number) => void }) {
  const ratio = own / ground;
  const found = (
    [
      [1000, 'kilometres', 1e-3],
      [0.01, 'centimetres', 100],
      [0.001, 'millimetres', 1000],
    ] as const
  ).find(([, , at]) => ratio > at / 4 && ratio < at * 4);
  if (!found) return null;
  const [by, unit] = found;
  return (
    <p className={css.note} role="status">
      It is {metres(own)} wide and this ground {metres(ground)}: its units may be {unit}. <Button onClick={() => onFactor(by)}>Read it so</Button>
    </p>
  );
}

/** The heights as relief, or how the mesh covers the ground. */
function Relief({ result }: { result: PressResult }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [shows, setShows] = useState<'relief' | 'cover'>('relief');
  const { width, height, pixels } = result.relief;
  useEffect(() => {
    canvas.current?.getContext('2d')?.putImageData(new ImageData(shows === 'relief' ? pixels : result.cover, width, height), 0, 0);
  }, [pixels, result.cover, shows, width, height]);
  return (
    <>
      <Segments label="Picture" value={shows} choices={{ relief: 'Relief', cover: 'Cover' }} onChange={setShows} />
      <canvas
        ref={canvas}
        className={css.relief}
        width={width}
        height={height}
        aria-label={shows === 'relief' ? 'Relief of the pressed heights' : 'How the mesh covers the ground'}
        role="img"
      />
      {shows === 'cover' && (
        <p className={css.note}>Pale: one surface. Ochre: surfaces over one another, darker where they are further apart. Red: no surface.</p>
      )}
    </>
  );
}
