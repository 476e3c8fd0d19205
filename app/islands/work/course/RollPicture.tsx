import { useEffect, useRef } from 'react';

type Picture = { width: number; height: number; pixels: Uint8ClampedArray<ArrayBuffer> } | null;

/** Pictures by what they show; worked out small, one after the other. */
const pictures = new Map<string, ImageData>();
let turn: Promise<unknown> = Promise.resolve();

/** The relief of a roll, drawn when its turn comes. `pictureKey` says all that the picture depends on. */
export function RollPicture({ pictureKey, make }: { pictureKey: string; make: () => Promise<Picture> }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const latest = useRef(make);
  latest.current = make;
  useEffect(() => {
    let gone = false;
    const draw = (image: ImageData) => !gone && canvas.current?.getContext('2d')?.putImageData(image, 0, 0);
    const known = pictures.get(pictureKey);
    if (known) {
      draw(known);
      return;
    }
    // While a setting moves the pictures wait.
    const wait = setTimeout(() => {
      turn = turn.then(async () => {
        if (gone) return;
        const picture = await latest.current();
        if (!picture) return;
        const image = new ImageData(picture.pixels, picture.width, picture.height);
        if (pictures.size > 500) pictures.clear();
        pictures.set(pictureKey, image);
        draw(image);
      });
    }, 500);
    return () => {
      gone = true;
      clearTimeout(wait);
    };
  }, [pictureKey]);
  return <canvas ref={canvas} width={104} height={56} aria-hidden="true" />;
}
