import { useEffect, useRef } from 'react';
import { reliefPixels } from '../../drawing/relief';
import { useTerrain } from '../../store/state';
import css from './LastGround.module.css';

const [WIDTH, HEIGHT] = [640, 420];

/** The ground as it was last worked out, while a room waits for its own picture of it. */
export function LastGround() {
  const picture = useTerrain((s) => s.picture);
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (picture) canvas.current?.getContext('2d')?.putImageData(new ImageData(reliefPixels(picture, WIDTH, HEIGHT, true), WIDTH, HEIGHT), 0, 0);
  }, [picture]);
  if (!picture) return null;
  return (
    <figure className={css.last}>
      <canvas ref={canvas} width={WIDTH} height={HEIGHT} aria-hidden="true" />
      <figcaption>The ground as it was last worked out{picture.preview ? ', in preview' : ''}</figcaption>
    </figure>
  );
}
