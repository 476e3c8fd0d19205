import { useEffect, useRef, useState } from 'react';
import { Segments } from '../../components/controls';
import { MeshView, type Look } from '../../view/mesh-view';
import { HeightsToMesh } from './HeightsToMesh';
import { MeshToHeights } from './MeshToHeights';
import type { Made, Shown } from './shown';
import { useTerrain } from '../../store/state';
import { LastGround } from '../shell/LastGround';
import css from './MeshRoom.module.css';

const LOOKS: Record<Look, string> = { wire: 'Wire over shade', shade: 'Shade', error: 'Error', normals: 'Normal map', outline: 'Outlines' };
const CAPTIONS: Partial<Record<Look, string>> = {
  error: 'Red: the mesh stands above the ground; blue: below it; the strongest colour is the largest error.',
  normals: 'Left: this mesh with the full ground’s normals as a map. Right: the full ground.',
  outline: 'White: both. Red: only the full ground reaches there; blue: only this mesh.',
};

/** Heights to mesh and mesh to heights, with a live picture of the mesh between. */
export function MeshRoom() {
  const [way, setWay] = useState<'out' | 'in'>('out');
  const [shown, setShown] = useState<Shown | null>(null);
  const [caption, setCaption] = useState('');
  const [made, setMade] = useState<Made | null>(null);
  // Dropped where heights are expected, a mesh comes here.
  const dropped = useTerrain((s) => s.meshFiles);
  useEffect(() => {
    if (dropped) setWay('in');
  }, [dropped]);
  return (
    <main className={css.room}>
      <aside className={css.panel} aria-label="Mesh settings">
        <h2 className="only-read">Mesh settings</h2>
        <Segments label="Direction" value={way} choices={{ out: 'Heights to mesh', in: 'Mesh to heights' }} onChange={setWay} />
        {way === 'out' ? (
          <HeightsToMesh onShown={setShown} onCaption={setCaption} onMade={setMade} />
        ) : (
          <MeshToHeights onShown={setShown} onCaption={setCaption} made={made} dropped={dropped} />
        )}
      </aside>
      <Picture shown={shown} caption={caption} />
    </main>
  );
}

function Picture({ shown, caption }: { shown: Shown | null; caption: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<MeshView | null>(null);
  const [look, setLook] = useState<Look>('wire');
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    try {
      view.current = new MeshView(canvas.current!);
    } catch {
      setFailed(true);
    }
    return () => {
      view.current?.dispose();
      view.current = null;
    };
  }, []);
  useEffect(() => {
    if (shown?.look) setLook(shown.look);
  }, [shown]);
  // A mesh from a file has nothing to be held against.
  const own = shown?.high ? look : look === 'shade' ? 'shade' : 'wire';
  useEffect(
    () => view.current?.show({ picture: shown?.picture ?? null, look: own, high: shown?.high, error: shown?.error, normal: shown?.normal }),
    [shown, own],
  );
  const looks = shown?.high ? LOOKS : { wire: LOOKS.wire, shade: LOOKS.shade };
  return (
    <section className={css.view} aria-label="The mesh">
      <canvas ref={canvas} />
      {!shown && <LastGround />}
      {failed && (
        <p className={css.noView}>
          This browser gave no WebGL 2, so the mesh is not drawn. Its figures, its error and its files are made all the same; a mesh becomes heights, too.
        </p>
      )}
      {shown && (
        <div className={css.looks}>
          <Segments label="Look" value={own} choices={looks as Record<Look, string>} onChange={setLook} />
        </div>
      )}
      {caption && (
        <p className={css.caption}>
          {caption}
          {CAPTIONS[own] && <span>{CAPTIONS[own]}</span>}
        </p>
      )}
    </section>
  );
}
