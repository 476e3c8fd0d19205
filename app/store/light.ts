import { grown, pieceOfField, SUN_DISC, type Ground, type Rectangle } from '@upland-cast/core';
import { engine } from '../engine/client';
import * as preferences from '../storage/preference';
import { refreshWater, seenKept, settled } from './evaluation';
import { litSurface } from './lit-surface';
import { onPatch } from './sculpt';
import { useTerrain, type ViewSettings } from './state';

const { getState: get, setState: set } = useTerrain;

/** Milliseconds that the ground rests before its light is found. */
const REST = 120;

/** The picture whose ground the engine has been given to light, and whether with its sea. */
let given: { picture: unknown; water: boolean } | null = null;
let waiting: ReturnType<typeof setTimeout> | undefined;
let busy = false;
let again = false;

/** Finds the light on the ground that is seen, once nothing has changed for a breath; at once when only the sun moved. */
function refreshLight(now = false): void {
  clearTimeout(waiting);
  if (get().view.light !== 'day') return;
  if (now) finding = find();
  else waiting = setTimeout(() => (finding = find()), REST);
}

/** The light that is being found: what else is asked of the engine of a new ground comes after it. */
let finding: Promise<void> = Promise.resolve();

async function find(): Promise<void> {
  if (busy) {
    again = true;
    return;
  }
  busy = true;
  try {
    do {
      again = false;
      const { picture, view } = get();
      if (!picture || view.light !== 'day') break;
      const { sun, sunHeight, soft, exaggeration, water } = view;
      if (given?.picture !== picture || given.water !== water) {
        await engine().lightOn({ ground: picture.ground, height: litSurface(picture, water) });
        given = { picture, water };
      }
      const asked = { azimuth: sun, altitude: sunHeight, disc: SUN_DISC * soft, exaggeration };
      const first = !get().lights;
      if (first) {
        // A ground without light is lit roughly at once.
        const rough = await engine().firstLights(asked);
        if (get().picture === picture && !get().lights && rough.ok && rough.value) set({ lights: rough.value });
      }
      const found = await engine().lights({ ...asked, first });
      // A stroke writes into the heights of the picture that is there: it stays the same one.
      if (get().picture === picture && found.ok && found.value) set({ lights: found.value });
    } while (again);
  } finally {
    busy = false;
  }
}

/** The light on a ground under a sun of its own, for a still; what is seen is lit anew when it moves next. */
export async function lightOf(
  { ground, height }: { ground: Ground; height: Float32Array },
  { sun, sunHeight, soft, exaggeration, water }: Pick<ViewSettings, 'sun' | 'sunHeight' | 'soft' | 'exaggeration' | 'water'>,
): Promise<Uint8Array<ArrayBuffer> | null> {
  given = null;
  await engine().lightOn({ ground, height: litSurface({ ground, height: Float32Array.from(height) }, water) });
  const found = await engine().lights({ azimuth: sun, altitude: sunHeight, disc: SUN_DISC * soft, exaggeration });
  return found.ok ? found.value : null;
}

/** Heights were changed in place: the engine has to be given them anew. */
function lightChanged(): void {
  given = null;
  refreshLight();
}

/** The colours of what covers the full ground; the last ones stay while new ones are found. */
async function refreshColours(): Promise<void> {
  const { course, picture, view, standing } = get();
  if (!course || !picture || picture.preview || view.drape !== 'ground') return;
  const found = await engine().coverColours(course, standing);
  if (get().picture === picture && found.ok && found.value) set({ colours: found.value });
}

/** Samples around a touched part that its colours depend on: slopes, and what is averaged over a few. */
const AROUND = 6;
/** Milliseconds from one renewal of the colours to the next, while a brush moves. */
const BETWEEN = 160;

type Recoloured = (part: Rectangle, rgba: Uint8Array<ArrayBuffer>) => void;
const recoloured = new Set<Recoloured>();

/** Hears of every part whose colours were found anew under a brush. */
export function onRecoloured(listener: Recoloured): () => void {
  recoloured.add(listener);
  return () => recoloured.delete(listener);
}

let touched: Rectangle | null = null;
let colouring = false;

/** Colours follow the brush: of what it has touched since they were found last. */
async function colourTouched(): Promise<void> {
  if (colouring) return;
  colouring = true;
  try {
    while (touched) {
      const part: Rectangle = touched;
      touched = null;
      const { course, picture, colours, view } = get();
      if (!course || !picture || picture.preview || !colours || view.drape !== 'ground') return;
      const { across, down } = picture.ground;
      const own = { left: part.left, top: part.top, across: part.right - part.left, down: part.bottom - part.top };
      const window = grown(own, AROUND, AROUND, picture);
      const { height } = pieceOfField(picture, window);
      const found = await engine().touchedColours(course, part, window, height.slice());
      if (get().picture !== picture || get().colours !== colours || colours.length !== 4 * across * down || !found.ok || !found.value) continue;
      for (let row = part.top, from = 0; row < part.bottom; row++, from += 4 * own.across) {
        colours.set(found.value.subarray(from, from + 4 * own.across), 4 * (row * across + part.left));
      }
      const { value } = found;
      recoloured.forEach((listener) => listener(part, value));
      await new Promise((resolve) => setTimeout(resolve, BETWEEN));
    }
  } finally {
    colouring = false;
  }
}

onPatch((patch) => {
  if (patch.painted) return;
  lightChanged();
  const { left, top, right, bottom } = patch.rectangle;
  touched = touched
    ? { left: Math.min(left, touched.left), top: Math.min(top, touched.top), right: Math.max(right, touched.right), bottom: Math.max(bottom, touched.bottom) }
    : patch.rectangle;
  void colourTouched();
});

settled.add(() => {
  void finding.then(refreshColours);
});

// What it is covered with, and its water, need nothing else.
seenKept.add(async (course) => {
  await finding;
  await refreshColours();
  await refreshWater(course);
});

useTerrain.subscribe((now, before) => {
  if (now.picture !== before.picture) {
    if (now.picture?.height.length !== before.picture?.height.length) set({ lights: null });
    // The full ground is lit before anything else is asked of it.
    refreshLight(now.picture?.preview === false);
  }
  if (now.view !== before.view) {
    const sunMoved = (['light', 'sun', 'sunHeight', 'soft', 'exaggeration', 'water'] as const).some((key) => now.view[key] !== before.view[key]);
    if (sunMoved) refreshLight(true);
    if (now.view.light !== before.view.light) preferences.light.keep(now.view.light);
    if (now.view.drape === 'ground' && before.view.drape !== 'ground') void refreshColours();
  }
  if (now.course?.cover !== before.course?.cover && now.course && before.course) void refreshColours();
});

/** Skies of our own, by name. */
export const SKIES: Record<string, Pick<ViewSettings, 'sun' | 'sunHeight' | 'turbidity' | 'haze' | 'soft'>> = {
  'Clear forenoon': { sun: 120, sunHeight: 36, turbidity: 2.4, haze: 0.8, soft: 1.5 },
  'Bright west': { sun: 300, sunHeight: 32, turbidity: 2.6, haze: 1, soft: 2 },
  'Hazy noon': { sun: 185, sunHeight: 58, turbidity: 5, haze: 3, soft: 6 },
  'Low and gold': { sun: 268, sunHeight: 9, turbidity: 3, haze: 1.6, soft: 2 },
  'First light': { sun: 72, sunHeight: 4, turbidity: 2.8, haze: 2.2, soft: 2 },
  'After rain': { sun: 330, sunHeight: 24, turbidity: 2, haze: 0.3, soft: 1 },
};
