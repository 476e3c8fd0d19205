import { useEffect, useRef } from 'react';
import { withSamples, type Field } from '@upland-cast/core';
import { reliefPixels } from '../../drawing/relief';
import { useTerrain } from '../../store/state';
import css from './LastGround.module.css';

const [WIDTH, HEIGHT] = [400, 260];

/** The ground as it was last worked out, while a room waits for its own picture of it. */
export function LastGround() {
  const picture = useTerrain((s) => s.picture);
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (picture) canvas.current?.getContext('2d')?.putImageData(new ImageData(reliefPixels(thinned(picture), WIDTH, HEIGHT, true), WIDTH, HEIGHT), 0, 0);
  }, [picture]);
  if (!picture) return null;
  return (
    <figure className={css.last}>
      <canvas ref={canvas} width={WIDTH} height={HEIGHT} aria-hidden="true" />
      <figcaption>The ground as it was last worked out{picture.preview ? ', in preview' : ''}</figcaption>
    </figure>
  );
}

/** So many samples as the picture has pixels, or twice: the page is not held up by those that nobody sees. */
export function thinned({ ground, height }: Field): Field {
  const every = Math.max(1, Math.floor(ground.across / (2 * WIDTH)));
  const [across, down] = [Math.ceil(ground.across / every), Math.ceil(ground.down / every)];
  const out = new Float32Array(across * down);
  for (let row = 0, to = 0; row < down; row++) for (let column = 0; column < across; column++) out[to++] = height[row * every * ground.across + column * every];
  return { ground: withSamples(ground, across, down), height: out };
}
