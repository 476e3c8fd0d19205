import type { TileErrorEvent, TileLayer } from 'leaflet';

/** How often a picture that did not come is asked for again, and after how many milliseconds: a server that is busy says to come back in two seconds. */
const TIMES = 4;
const AFTER = 2_000;

/** Asks for pictures of a map again that did not come: without it what a busy server could not answer stays a hole until the map is moved. */
export function askAgain(layer: Pick<TileLayer, 'on'>): void {
  const asked = new WeakMap<HTMLElement, number>();
  layer.on('tileerror', ({ tile }: TileErrorEvent) => {
    const times = (asked.get(tile) ?? 0) + 1;
    if (times > TIMES) return;
    asked.set(tile, times);
    const picture = tile as HTMLImageElement;
    const { src } = picture;
    setTimeout(() => {
      // It may have been taken away, or show something else by now.
      if (picture.src === src) picture.src = src;
    }, AFTER * times);
  });
}
