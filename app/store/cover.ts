import { coverSchema, maskUse, defaultCover, type Cover, type CoverLayer, type MaskUse, type Order } from '@upland-cast/core';
import { keepAsset } from '../storage/assets';
import { amend, change } from './history';

/** Changes what the ground is covered with. */
export function setCover(label: string, recipe: (cover: Cover) => void, gesture?: string): void {
  change(
    label,
    (course) => {
      course.cover ??= defaultCover();
      recipe(course.cover);
    },
    gesture,
    { work: () => undefined },
  );
}

export const setLayer = (id: string, label: string, recipe: (layer: CoverLayer) => void, gesture?: string): void =>
  setCover(
    label,
    (cover) => {
      const layer = cover.layers.find((l) => l.id === id);
      if (layer) recipe(layer);
    },
    gesture,
  );

export const setLayerMask = (id: string, mask: string, label: string, recipe: (mask: MaskUse) => void, gesture?: string): void =>
  setLayer(
    id,
    label,
    (layer) => {
      const found = layer.where.masks.find((m) => m.id === mask);
      if (found) recipe(found);
    },
    gesture,
  );

export function addLayer(): void {
  setCover('Add a layer', (cover) => {
    let n = cover.layers.length + 1;
    while (cover.layers.some((l) => l.name === `Layer ${n}`)) n++;
    const made = coverSchema.shape.layers
      .unwrap()
      .element.parse({ id: `layer-${Date.now().toString(36)}`, name: `Layer ${n}`, colour: [120, 110, 90], where: { masks: [maskUse('slope')] } });
    cover.layers.push(made);
  });
}

/** A picture for a layer, kept as an asset of the terrain. */
export async function layerPicture(id: string, file: File): Promise<void> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  const sha = await keepAsset(bytes);
  change(
    'Picture of a layer',
    (course) => {
      course.cover ??= defaultCover();
      course.assets[sha] ??= { name: file.name, bytes: bytes.length };
      const layer = course.cover.layers.find((l) => l.id === id);
      if (layer) layer.picture = sha;
    },
    undefined,
    { work: () => undefined },
  );
}

/** Keeps what is handed on as a recipe of the terrain, under its name. */
export function keepOrder(order: Order): void {
  amend((course) => {
    const at = course.orders.findIndex((o) => o.name === order.name);
    const kept = { ...order, id: at < 0 ? `order-${Date.now().toString(36)}` : course.orders[at].id };
    if (at < 0) course.orders.push(kept);
    else course.orders[at] = kept;
  });
}

export const removeOrder = (id: string): void => amend((course) => void (course.orders = course.orders.filter((o) => o.id !== id)));
