import { SUN_DISC, type Ground } from '@upland-cast/core';
import { engine } from '../engine/client';
import { settled } from './evaluation';
import { onPatch } from './sculpt';
import { useTerrain, type ViewSettings } from './state';

const { getState: get, setState: set } = useTerrain;

/** Milliseconds that the ground rests before its light is found. */
const REST = 120;

/** The picture whose ground the engine has been given to light. */
let given: unknown = null;
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
      if (given !== picture) {
        await engine().lightOn({ ground: picture.ground, height: picture.height });
        given = picture;
      }
      const { sun, sunHeight, soft, exaggeration } = view;
      const found = await engine().lights({ azimuth: sun, altitude: sunHeight, disc: SUN_DISC * soft, exaggeration });
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
  { sun, sunHeight, soft, exaggeration }: Pick<ViewSettings, 'sun' | 'sunHeight' | 'soft' | 'exaggeration'>,
): Promise<Uint8Array<ArrayBuffer> | null> {
  given = null;
  await engine().lightOn({ ground, height: Float32Array.from(height) });
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

onPatch((patch) => {
  if (!patch.painted) lightChanged();
});

settled.add(() => {
  void finding.then(refreshColours);
});

useTerrain.subscribe((now, before) => {
  if (now.picture !== before.picture) {
    if (now.picture?.height.length !== before.picture?.height.length) set({ lights: null });
    // The full ground is lit before anything else is asked of it.
    refreshLight(now.picture?.preview === false);
  }
  if (now.view !== before.view) {
    const sunMoved = (['light', 'sun', 'sunHeight', 'soft', 'exaggeration'] as const).some((key) => now.view[key] !== before.view[key]);
    if (sunMoved) refreshLight(true);
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
