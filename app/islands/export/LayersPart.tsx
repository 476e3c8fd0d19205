import { Download } from 'lucide-react';
import { useMemo, useState } from 'react';
import { courseOfSource, type Course, type Ground } from '@upland-cast/core';
import { Button, Row, Select } from '../../components/controls';
import { download, fileNameOf } from '../../components/download';
import { Part } from '../../components/Facts';
import { engine } from '../../engine/client';
import { useEngineQuery } from '../../components/use-engine-query';
import { placesOfLayers } from './MapsPart';
import css from './ExportRoom.module.css';

const MEANINGS: Record<string, string> = {
  flow: 'land that drains through, m²',
  cut: 'depth of what was taken, m',
  fill: 'depth of what was laid down, m',
  water: 'depth of water, m',
  sediment: 'depth of what settled, m',
  loose: 'depth of what lies loose on the rock, m',
  ice: 'depth of ice, m',
  till: 'depth of what the ice laid down, m',
  drainage: 'land that drains through the ground as it is, m²',
  'standing water': 'depth of sea, lakes and streams on the ground as it is, m',
  streams: 'lines with their order and catchment, GeoJSON',
};

/** What weathering left behind, and where the water runs, as files of their own. */
export function LayersPart({ course, ground }: { course: Course; ground: Ground }) {
  const [busy, setBusy] = useState<string | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [after, setAfter] = useState('');
  const there = after === '' || course.stem.some((use) => use.id === after) ? after : '';
  const at = useMemo(() => courseOfSource(course, there ? { kind: 'step', id: there } : { kind: 'end' }), [course, there]);
  const names = useEngineQuery(() => engine().layerNames(at), [at]).value ?? [];
  const write = async (layer: string) => {
    const file = fileNameOf(`${at.name}-${layer.replace(' ', '-')}`, layer === 'streams' ? '.geojson' : '.tif');
    setBusy(layer);
    setFault(null);
    const answer = await engine().layerFile(at, { layer, name: file, ground });
    setBusy(null);
    if (answer.ok) download(file, answer.value, layer === 'streams' ? 'application/geo+json' : 'image/tiff');
    else setFault(answer.sentence);
  };
  return (
    <Part title="Layers and drainage">
      <p className={css.note}>At the file’s samples, as 32-bit float TIFF: real metres and square metres, no codes.</p>
      <Row label="Taken">
        <Select label="Layers are taken" value={there} choices={placesOfLayers(course)} onChange={setAfter} />
      </Row>
      <ul className={css.layers}>
        {[...names, 'drainage', 'standing water', 'streams'].map((layer) => (
          <li key={layer}>
            <Button disabled={busy !== null} onClick={() => void write(layer)}>
              <Download size={13} /> {busy === layer ? 'Writing …' : layer[0].toUpperCase() + layer.slice(1)}
            </Button>
            <span>{MEANINGS[layer]}</span>
          </li>
        ))}
      </ul>
      {fault && (
        <p className={css.stopped} role="alert">
          {fault}
        </p>
      )}
    </Part>
  );
}
