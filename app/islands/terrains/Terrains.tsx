import { Download, Trash2 } from 'lucide-react';
import { useCallback, useEffect, useState } from 'react';
import { allUses, sentenceOf, startingCourses, UplandError } from '@upland-cast/core';
import { Boundary } from '../../components/Boundary';
import { Button, Select, TextField } from '../../components/controls';
import { Dialog } from '../../components/Dialog';
import { download, fileNameOf } from '../../components/download';
import { ago, figure } from '../../components/format';
import { Logo } from '../../components/Logo';
import { useBlobUrl } from '../../components/use-blob-url';
import type { TerrainRow } from '../../storage/db';
import { isFirstVisit } from '../../store/hints';
import { storageSentence } from '../../storage/room';
import {
  addTerrain,
  DEMO_ID,
  ensureDemo,
  giveOut,
  lastGoodSave,
  listTerrains,
  removeTerrain,
  restoreFrom,
  sweepOrphans,
  tagTerrain,
  type BadRow,
} from '../../storage/terrains';
import { Beginnings, Start, useBringing } from './Beginnings';
import { ImportDialog } from '../import/ImportDialog';
import { broughtBy } from '../import/files';
import { courseOf, keepHandles, type Taken } from '../import/taken';
import { listed, ORDERS, tagsOf, type ListOrder } from './listing';
import css from './Terrains.module.css';

/** So many terrains are seen at a look. */
const FEW = 3;

/** The list of terrains: cards like map sheets, new ones, project files in and out. */
export function Terrains() {
  return (
    <Boundary part="The list of terrains">
      <List />
    </Boundary>
  );
}

type Fault = (sentence: string | null) => void;

/** The terrains of this browser, and those that cannot be read. */
function useTerrains(setFault: Fault) {
  const [rows, setRows] = useState<TerrainRow[] | null>(null);
  const [bad, setBad] = useState<BadRow[]>([]);
  const refresh = useCallback(async () => {
    const found = await listTerrains();
    setRows(found.rows);
    setBad(found.bad);
  }, []);
  useEffect(() => {
    void (async () => {
      try {
        await ensureDemo().catch((error: unknown) => setFault(storageSentence(error)));
        await refresh();
        // Somebody new sees ground first; Back leads here.
        if (isFirstVisit()) location.href = `/terrain?id=${DEMO_ID}`;
        void navigator.storage?.persist?.();
        await sweepOrphans().catch(() => undefined);
      } catch (error) {
        setFault(storageSentence(error));
        setRows([]);
      }
    })();
  }, [refresh, setFault]);
  return { rows, bad, refresh };
}

function List() {
  const [fault, setFault] = useState<string | null>(null);
  const { rows, bad, refresh } = useTerrains(setFault);
  const { brought, setBrought, begin, take } = useBringing(setFault, refresh);
  const [removing, setRemoving] = useState<TerrainRow | null>(null);
  const [over, setOver] = useState(false);
  const open = (taken: Taken) =>
    begin(async () => {
      await keepHandles(taken.handles);
      return addTerrain(courseOf(taken));
    });

  return (
    <div
      className={`${css.page} ${over ? css.over : ''}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        void broughtBy(event.dataTransfer).then(take);
      }}
    >
      <Head />
      <main className={css.main}>
        <Beginnings onBegin={(make) => void begin(make)} onFiles={(files) => void take(files)} />
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
        {rows === null && <p>Looking …</p>}
        {bad.length > 0 && (
          <ul className={css.spoiled}>
            {bad.map((row) => (
              <Spoiled key={row.id} row={row} onDone={refresh} onFault={setFault} />
            ))}
          </ul>
        )}
        {rows?.length === 0 && bad.length === 0 && !fault && <p>There are no terrains here. Begin one, or import a project file.</p>}
        <Cards rows={rows} onRemove={setRemoving} onChange={refresh} onFault={setFault} />
        <h2 className={css.title}>Starting courses</h2>
        <ul className={css.starts}>
          {startingCourses.map((start) => (
            <Start key={start.id} start={start} onFault={setFault} />
          ))}
        </ul>
        <Hint onScan={(file) => setBrought([{ name: 'old-sheet.jpg', file }])} />
      </main>
      {brought && <ImportDialog files={brought} onClose={() => setBrought(null)} onTaken={(taken) => void open(taken)} />}
      {removing && <RemoveDialog row={removing} onClose={() => setRemoving(null)} onRemoved={refresh} onFault={setFault} />}
    </div>
  );
}

function Head() {
  return (
    <header className={css.header}>
      <span className={css.brand}>
        <Logo /> <span>Upland Cast</span>
      </span>
      <span className={css.line}>Heightmaps and displaced meshes, kept true.</span>
      <a className={css.help} href="/help">
        Help
      </a>
    </header>
  );
}

/** Where terrains are, what can be dropped here, and a scan to try it with. */
function Hint({ onScan }: { onScan: (file: Blob) => void }) {
  return (
    <p className={css.hint}>
      Terrains live in this browser. A project file, or any file of heights, can be dropped or pasted here; several of heights become one ground. To try it:{' '}
      <button
        type="button"
        className={css.link}
        onClick={() =>
          void fetch('/demo/old-sheet.jpg')
            .then((answer) => answer.blob())
            .then(onScan)
        }
      >
        an old scan with every flaw there is
      </button>
      .
    </p>
  );
}

interface CardsProps {
  rows: TerrainRow[] | null;
  onRemove: (row: TerrainRow) => void;
  onChange: () => Promise<void>;
  onFault: (sentence: string) => void;
}

/** The terrains, found by words and tags, in an order. */
function Cards({ rows, onRemove, onChange, onFault }: CardsProps) {
  const [words, setWords] = useState('');
  const [order, setOrder] = useState<ListOrder>('changed');
  const [tag, setTag] = useState('');
  const tags = tagsOf(rows ?? []);
  const shown = listed(rows ?? [], words, order, tags.some(([one]) => one === tag) ? tag : '');
  return (
    <>
      {rows && rows.length > FEW && (
        <div className={css.finder}>
          <input
            type="search"
            aria-label="Find a terrain"
            placeholder="Find a terrain, or one by a step in it"
            value={words}
            onChange={(event) => setWords(event.target.value)}
          />
          <Select label="Order of the terrains" value={order} choices={ORDERS} onChange={setOrder} />
          <span className="number" role="status">
            {shown.length === rows.length ? `${figure(rows.length, 0)} terrains` : `${figure(shown.length, 0)} of ${figure(rows.length, 0)}`}
          </span>
        </div>
      )}
      {tags.length > 0 && (
        <div className={css.tags} role="group" aria-label="Tags">
          {tags.map(([one, count]) => (
            <Button key={one} aria-pressed={tag === one} onClick={() => setTag(tag === one ? '' : one)}>
              {one} <span className="number">{figure(count, 0)}</span>
            </Button>
          ))}
        </div>
      )}
      {rows && rows.length > 0 && shown.length === 0 && <p>No terrain is found by “{words.trim()}”.</p>}
      <ul className={css.cards}>
        {shown.map((row) => (
          <Card key={row.id} row={row} onRemove={() => onRemove(row)} onChange={onChange} onFault={onFault} />
        ))}
      </ul>
    </>
  );
}

interface RemoveProps {
  row: TerrainRow;
  onClose: () => void;
  onRemoved: () => Promise<void>;
  onFault: (sentence: string) => void;
}

function RemoveDialog({ row, onClose, onRemoved, onFault }: RemoveProps) {
  const remove = async () => {
    await removeTerrain(row.id).catch((error: unknown) => onFault(storageSentence(error)));
    onClose();
    await onRemoved();
  };
  return (
    <Dialog title={`Remove ${row.course.name}?`} onClose={onClose}>
      <p>The terrain, its hand work and its past saves go from this browser. This cannot be undone; a project file can be saved first.</p>
      <div className={css.buttons}>
        <Button onClick={onClose}>Keep it</Button>
        <Button look="main" onClick={() => void remove()}>
          Remove it
        </Button>
      </div>
    </Dialog>
  );
}

/** A terrain whose row cannot be read: what is wrong, and what can be done. The others are not touched by it. */
function Spoiled({ row, onDone, onFault }: { row: BadRow; onDone: () => Promise<void>; onFault: (sentence: string) => void }) {
  const tried = async (work: () => Promise<unknown>) => {
    try {
      await work();
      await onDone();
    } catch (error) {
      onFault(storageSentence(error));
    }
  };
  const restore = () =>
    tried(async () => {
      const save = await lastGoodSave(row.id);
      if (!save) throw new UplandError('no-save', `None of the earlier saves of ${row.name} can be read either.`);
      await restoreFrom(row.id, save);
    });
  return (
    <li role="alert">
      <b>{row.name}</b>
      <p>{row.fault}</p>
      <p>The other terrains are not touched by it. What files and earlier saves it has are kept.</p>
      <div className={css.buttons}>
        <Button look="main" onClick={() => void restore()}>
          Try its last good save
        </Button>
        <Button
          onClick={() =>
            void tried(async () =>
              download(fileNameOf(row.name, '.json'), new TextEncoder().encode(JSON.stringify(row.raw ?? null, null, 2)), 'application/json'),
            )
          }
        >
          Give it out as it is stored
        </Button>
        <Button onClick={() => void tried(() => removeTerrain(row.id))}>Remove it</Button>
      </div>
    </li>
  );
}

function CardFacts({ row: { course, range, changed } }: { row: TerrainRow }) {
  const { ground } = course;
  return (
    <dl className="number">
      <dt>size</dt>
      <dd>
        {figure(ground.width / 1000, 2)} × {figure(ground.depth / 1000, 2)} km
      </dd>
      <dt>samples</dt>
      <dd>
        {ground.across} × {ground.down}
      </dd>
      <dt>steps</dt>
      <dd>{allUses(course).length}</dd>
      {range && (
        <>
          <dt>range</dt>
          <dd>
            {figure(range[0], 0)} – {figure(range[1], 0)} m
          </dd>
        </>
      )}
      <dt>changed</dt>
      <dd>{ago(changed)}</dd>
    </dl>
  );
}

interface CardProps {
  row: TerrainRow;
  onRemove: () => void;
  onChange: () => Promise<void>;
  onFault: (sentence: string) => void;
}

function Card({ row, onRemove, onChange, onFault }: CardProps) {
  const { course } = row;
  const url = useBlobUrl(row.picture);
  return (
    <li className={css.card}>
      <a href={`/terrain?id=${encodeURIComponent(row.id)}`} className={css.sheet}>
        <span className="only-read">Open </span>
        <b>{course.name}</b>
        <span className={css.picture}>{url ? <img src={url} alt="" /> : <i>Its picture is made when it is opened.</i>}</span>
      </a>
      <CardFacts row={row} />
      <TextField
        label={`Tags of ${course.name}`}
        value={(row.tags ?? []).join(', ')}
        empty
        placeholder="Tags, with commas between"
        onChange={(text) => void tagTerrain(row.id, text.split(',')).then(onChange, (error: unknown) => onFault(storageSentence(error)))}
      />
      <div className={css.actions}>
        <Button
          look="quiet"
          aria-label={`Save the project file of ${course.name}`}
          onClick={async () => {
            try {
              download(fileNameOf(course.name, '.uplandcast'), await giveOut(row.id, course, row.picture), 'application/zip');
            } catch (error) {
              onFault(sentenceOf(error));
            }
          }}
        >
          <Download size={13} /> Project file
        </Button>
        <Button look="quiet" aria-label={`Remove ${course.name}`} onClick={onRemove}>
          <Trash2 size={13} /> Remove
        </Button>
      </div>
    </li>
  );
}
