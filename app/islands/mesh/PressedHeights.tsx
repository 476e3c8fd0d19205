import { useEffect, useRef, useState } from 'react';
import { spacingOf } from '@upland-cast/core';
import { Button, Segments, SliderRow } from '../../components/controls';
import { Facts, Part } from '../../components/Facts';
import { figure, metres, smallMetres } from '../../components/format';
import type { PressResult } from '../../engine/api';
import css from './MeshRoom.module.css';

/** What a mesh was pressed to: its picture, its measures, and where it goes. */
export function PressedHeights({
  result,
  samples,
  against,
  readOnly,
  onSamples,
  onLay,
  onOpen,
}: {
  result: PressResult;
  samples: number;
  against: boolean;
  readOnly: boolean;
  onSamples: (samples: number) => void;
  onLay: () => void;
  onOpen: () => void;
}) {
  return (
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
          onChange={(v) => onSamples(Math.round(v))}
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
      <Facts items={measuresOf(result)} />
      <div className={css.buttons}>
        <Button look="main" disabled={readOnly} onClick={onLay}>
          Lay it over this terrain
        </Button>
        <Button onClick={onOpen}>A terrain of its own</Button>
      </div>
    </Part>
  );
}

function measuresOf({ ground, statistics, holes, filled, overhangs, upright, facing, difference }: PressResult): [string, string][] {
  const items: [string, string][] = [
    ['samples', `${ground.across} × ${ground.down}`],
    ['size', `${metres(ground.width)} × ${metres(ground.depth)}`],
    ['range', `${figure(statistics.lowest, 2)} … ${figure(statistics.highest, 2)} m`],
    ['holes', `${figure(holes, 0)}${filled ? `, ${figure(filled, 0)} filled` : ''}`],
    ['under overhangs', figure(overhangs, 0)],
  ];
  if (upright) items.push(['faces upright or without area', figure(upright, 0)]);
  if (facing.up && facing.down) items.push(['faces up / down', `${figure(facing.up, 0)} / ${figure(facing.down, 0)}`]);
  if (difference) items.push(['largest difference', smallMetres(difference.maxAbs)], ['RMS difference', smallMetres(difference.rmse)]);
  return items;
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
