import type { Field } from '@upland-cast/core';

/** What light falls on: the ground, and the sea where it is shown. Through deep water no shadow on its bed is seen. */
export function litSurface({ ground, height }: Field, water: boolean): Float32Array<ArrayBuffer> {
  const sea = ground.sea - ground.datum;
  return water && height.some((h) => h < sea) ? height.map((h) => Math.max(h, sea)) : height;
}
