import { useEffect, useRef, useState } from 'react';
import { Segments } from '../../components/controls';
import type { MeshPicture } from '../../engine/protocol';
import { MeshView } from '../../view/mesh-view';
import { HeightsToMesh } from './HeightsToMesh';
import { MeshToHeights } from './MeshToHeights';
import css from './MeshRoom.module.css';

/** Heights to mesh and mesh to heights, with a live picture of the mesh between. */
export function MeshRoom() {
  const [way, setWay] = useState<'out' | 'in'>('out');
  const [shown, setShown] = useState<MeshPicture | null>(null);
  const [caption, setCaption] = useState('');
  const [made, setMade] = useState<{ name: string; bytes: Uint8Array<ArrayBuffer> } | null>(null);
  return (
    <main className={css.room}>
      <aside className={css.panel} aria-label="Mesh settings">
        <Segments label="Direction" value={way} choices={{ out: 'Heights to mesh', in: 'Mesh to heights' }} onChange={setWay} />
        {way === 'out' ? (
          <HeightsToMesh onPicture={setShown} onCaption={setCaption} onMade={setMade} />
        ) : (
          <MeshToHeights onPicture={setShown} onCaption={setCaption} made={made} />
        )}
      </aside>
      <Picture mesh={shown} caption={caption} />
    </main>
  );
}

function Picture({ mesh, caption }: { mesh: MeshPicture | null; caption: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<MeshView | null>(null);
  useEffect(() => {
    view.current = new MeshView(canvas.current!);
    return () => {
      view.current?.dispose();
      view.current = null;
    };
  }, []);
  useEffect(() => view.current?.show(mesh), [mesh]);
  return (
    <section className={css.view} aria-label="The mesh">
      <canvas ref={canvas} />
      {caption && <p className={css.caption}>{caption}</p>}
    </section>
  );
}
