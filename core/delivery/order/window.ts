import type { Field } from '../../field/field';
import type { Image } from '../../formats/png';
import { extendEdges, tileField } from '../heights/tiles';
import type { DrawnMap } from '../maps/draw';
import type { Plan } from './plan';

/** The window of a ground that is handed on. */
export function cutToWindow(field: Field, { window: { left, top, across, down } }: Plan): Field {
  const { ground } = field;
  if (left === 0 && top === 0 && across === ground.across && down === ground.down) return field;
  const [right, below] = [Math.min(ground.across, left + across), Math.min(ground.down, top + down)];
  const part = tileField(field, left, top, right - left, below - top);
  return right - left === across && below - top === down ? part : extendEdges(part, across, down);
}

/** The same of a map. */
export function cutMapToWindow(drawn: DrawnMap, plan: Plan): DrawnMap {
  if ('field' in drawn) return { ...drawn, field: cutToWindow(drawn.field, plan) };
  const { left, top, across, down } = plan.window;
  const cut = (image: Image): Image => {
    const { width, height, channels, samples } = image;
    if (left === 0 && top === 0 && across === width && down === height) return image;
    const out = samples instanceof Uint16Array ? new Uint16Array(across * down * channels) : new Uint8Array(across * down * channels);
    for (let row = 0; row < down; row++) {
      const from = Math.min(height - 1, top + row) * width;
      for (let column = 0; column < across; column++) {
        const at = (from + Math.min(width - 1, left + column)) * channels;
        for (let c = 0; c < channels; c++) out[(row * across + column) * channels + c] = samples[at + c];
      }
    }
    return { width: across, height: down, channels, samples: out };
  };
  return { ...drawn, images: drawn.images.map((each) => ({ ...each, image: cut(each.image) })) };
}
