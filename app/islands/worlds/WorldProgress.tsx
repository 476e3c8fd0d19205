import { Play, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { Button } from '../../components/controls';
import { Dialog } from '../../components/Dialog';
import { Facts, Part } from '../../components/Facts';
import { figure, metres } from '../../components/format';
import { Working } from '../../components/Working';
import { actOnWorld, useWorlds } from '../../store/worlds';
import type { WorldStatus } from '../../worlds/status';
import { duration } from './duration';
import css from './WorldRoom.module.css';

const FILES: Record<string, string> = {
  'docket.json': 'Docket: every tile with its proof',
  'world.vrt': 'One raster over all tiles (GDAL’s virtual format)',
  'overview.tif': 'The whole on 2 048 samples',
  'meshes/tileset.json': '3D Tiles over the meshes',
};

/** What a world is doing: how far it is, how long it takes yet, and what came of it. */
export function WorldProgress({ status }: { status: WorldStatus }) {
  const queue = useWorlds((s) => s.there?.queue ?? false);
  const [fault, setFault] = useState<string | null>(null);
  const [asks, setAsks] = useState(false);
  const act = async (what: 'stop' | 'resume' | 'remove', byQueue = false) => {
    setFault(null);
    setAsks(false);
    try {
      await actOnWorld(status, what, byQueue);
    } catch (error) {
      setFault((error as Error).message);
    }
  };
  const running = status.state === 'running';
  return (
    <>
      <WorldFacts status={status} />
      <p className={`${css.note} ${css.folder}`}>
        Lies in <span className="number">{status.folder}</span>
      </p>
      {running && <Working work={{ words: wordsOf(status), share: status.share }} onStop={() => void act('stop')} />}
      {running && status.left !== null && <p className={css.note}>About {duration(status.left)} more.</p>}
      {status.state === 'stopped' && <p className={css.note}>Stopped. What is done stays done.</p>}
      {(status.sentence ?? fault) && (
        <p className={css.fault} role="alert">
          {fault ?? status.sentence}
        </p>
      )}
      {!running && status.state !== 'finished' && (
        <div className={css.go}>
          <Button look="main" onClick={() => void act('resume')}>
            <Play size={13} /> Go on here
          </Button>
          {queue && <Button onClick={() => void act('resume', true)}>Go on by workers</Button>}
        </div>
      )}
      {status.files.length > 0 && <WorldFiles status={status} />}
      <Button look="quiet" onClick={() => setAsks(true)}>
        <Trash2 size={13} /> Take it away …
      </Button>
      {asks && (
        <Dialog title={`Take the world of ${status.name} away?`} onClose={() => setAsks(false)}>
          <p>Its folder on the server is removed with all {figure(doneOf(status), 0)} tiles. The terrain itself stays as it is.</p>
          <div className={css.go}>
            <Button look="main" onClick={() => void act('remove')}>
              Take it away
            </Button>
            <Button onClick={() => setAsks(false)}>Keep it</Button>
          </div>
        </Dialog>
      )}
    </>
  );
}

/** Tiles that are done. */
const doneOf = ({ done }: WorldStatus): number => done.replaceAll('0', '').length;

type Fact = [string, string] | [string, string, 'good' | 'fault'];

function WorldFacts({ status }: { status: WorldStatus }) {
  const { range, seams } = status;
  const items: Fact[] = [
    ['samples', `${figure(status.across, 0)} × ${figure(status.down, 0)}`],
    ['land', `${metres(status.width)} × ${metres(status.depth)}`],
    ['tiles done', `${figure(doneOf(status), 0)} of ${figure(status.done.length, 0)}`],
  ];
  if (range) items.push(['the ground', `${figure(range.low, 1)} … ${figure(range.high, 1)} m`]);
  if (seams !== null) items.push(['steps across borders', `${figure(seams, 3)} × those beside`, Math.abs(seams - 1) <= 0.02 ? 'good' : 'fault']);
  return (
    <Part title={status.name}>
      <Facts items={items} />
    </Part>
  );
}

function WorldFiles({ status }: { status: WorldStatus }) {
  return (
    <Part title="What was written">
      <ul className={css.files}>
        {status.files.map((name) => (
          <li key={name}>
            <a href={`/api/worlds/${status.id}/files/${name}`} download={name.slice(name.lastIndexOf('/') + 1)}>
              {name}
            </a>
            <span>{FILES[name]}</span>
          </li>
        ))}
      </ul>
      <p className={css.note}>Tiles, maps, overviews and meshes lie beside them, in the folder on the server.</p>
    </Part>
  );
}

function wordsOf({ what, queued, done }: WorldStatus): string {
  if (what === 'base') return 'The whole ground first';
  if (what === 'finish') return 'Tiles read back, borders measured';
  if (what === 'tiles') return `Tile ${Math.min(done.length, done.replaceAll('0', '').length + 1)} of ${done.length}${queued ? ', by workers' : ''}`;
  return 'Begins';
}
