import { useEffect, useRef } from 'react';
import type { Pixels } from '../../drawing/pictures';

/** Pixels from the engine on a canvas of their own size. */
export function PixelPicture({ picture, className, label }: { picture: Pixels; className?: string; label?: string }) {
  const ref = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const canvas = ref.current!;
    canvas.width = picture.width;
    canvas.height = picture.height;
    canvas.getContext('2d')!.putImageData(new ImageData(picture.pixels, picture.width, picture.height), 0, 0);
  }, [picture]);
  return <canvas ref={ref} className={className} role={label ? 'img' : undefined} aria-label={label} aria-hidden={label ? undefined : true} />;
}
