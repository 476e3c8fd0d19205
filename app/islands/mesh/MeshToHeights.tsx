import { Upload } from 'lucide-react';
import { useCallback, useEffect, useRef, useState } from 'react';
import { makeCourse, makeGround, stepUse } from '@upland-cast/core';
import { Button, Row, Segments, Switch } from '../../components/controls';
import { Facts, Part } from '../../components/Facts';
import { figure, metres, smallMetres } from '../../components/format';
import { engine } from '../../engine/client';
import type { MeshPicture, PressResult } from '../../engine/protocol';
import { addTerrain } from '../../storage/terrains';
import { select } from '../../store/course';
import { keepMark } from '../../store/keeping';
import { change, say, useTerrain } from '../../store/terrain';
import css from './MeshRoom.module.css';

interface Source {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
}

/** A mesh file, looked at from straight above, to heights; then into the terrain as a raster step, or a terrain of its own. */
export function MeshToHeights({
  onPicture,
  onCaption,
  made,
}: {
  onPicture: (picture: MeshPicture | null) => void;
  onCaption: (caption: string) => void;
  made: Source | null;
}) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [source, setSource] = useState<Source | null>(null);
  const [up, setUp] = useState<'found' | 'y' | 'z'>('found');
  const [against, setAgainst] = useState(false);
  const [result, setResult] = useState<PressResult | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const chooser = useRef<HTMLInputElement>(null);

  const press = useCallback(async () => {
    if (!source) return;
    setBusy(true);
    setFault(null);
    const answer = await engine().press(course, { bytes: source.bytes, up: up === 'found' ? undefined : up, againstGround: against });
    setBusy(false);
    if (!answer.ok) {
      setResult(null);
      setFault(answer.stopped ? null : `${source.name}: ${answer.sentence}`);
      onPicture(null);
      onCaption('');
      return;
    }
    setResult(answer.value);
    onPicture(answer.value.mesh);
    onCaption(`${source.name}: ${figure(answer.value.triangles, 0)} triangles`);
  }, [source, up, against, course, onPicture, onCaption]);

  useEffect(() => void press(), [press]);
  useEffect(() => {
    if (!source) {
      onPicture(null);
      onCaption('No mesh yet');
    }
  }, [source, onPicture, onCaption]);

  const take = async (file: File | undefined) => {
    if (file) setSource({ name: file.name, bytes: new Uint8Array(await file.arrayBuffer()) });
  };
  const intoTerrain = async () => {
    if (!result || !source) return;
    await keepMark(`Before laying ${source.name}`, true);
    const use = stepUse('raster', { asset: result.asset }, { name: source.name.slice(0, 80) });
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
            void take(event.dataTransfer.files[0]);
          }}
        >
          <p>{source ? source.name : 'Drop an OBJ, PLY or GLB here.'}</p>
          <div className={css.buttons}>
            <Button onClick={() => chooser.current?.click()}>
              <Upload size={13} /> Choose a mesh
            </Button>
            {made && (
              <Button onClick={() => setSource(made)} title={made.name}>
                The one just written
              </Button>
            )}
          </div>
          <input
            ref={chooser}
            type="file"
            hidden
            accept=".obj,.ply,.glb"
            aria-label="Mesh file"
            onChange={(event) => void take(event.target.files?.[0]).then(() => void (event.target.value = ''))}
          />
        </div>
        <Row label="Up">
          <Segments label="Up" value={up} choices={{ found: result ? `Found: ${result.up.toUpperCase()}` : 'As found', y: 'Y', z: 'Z' }} onChange={setUp} />
        </Row>
        <div className={css.check}>
          <Switch label="Hold it against this terrain" on={against} onChange={setAgainst} />
          <span>Press it to this terrain’s samples and hold it against the ground</span>
        </div>
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
        {busy && <p className={css.note}>Pressing …</p>}
      </Part>
      {result && (
        <Part title="Heights">
          <Relief result={result} />
          <Facts
            items={[
              ['samples', `${result.ground.across} × ${result.ground.down}`],
              ['size', `${metres(result.ground.width)} × ${metres(result.ground.depth)}`],
              ['range', `${figure(result.statistics.lowest, 2)} … ${figure(result.statistics.highest, 2)} m`],
              ['holes', figure(result.holes, 0)],
              ['under overhangs', figure(result.overhangs, 0)],
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

function Relief({ result }: { result: PressResult }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, pixels } = result.relief;
  useEffect(() => {
    canvas.current?.getContext('2d')?.putImageData(new ImageData(pixels, width, height), 0, 0);
  }, [pixels, width, height]);
  return <canvas ref={canvas} className={css.relief} width={width} height={height} aria-label="Relief of the pressed heights" role="img" />;
}
