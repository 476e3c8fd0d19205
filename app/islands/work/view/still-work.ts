import { bundle, encodeExr, safeName, type Course } from '@upland-cast/core';
import { engine } from '../../../engine/client';
import { fullGround, refreshWater } from '../../../store/evaluation';
import { lightOf } from '../../../store/light';
import { useTerrain } from '../../../store/state';
import type { CameraPlace } from '../../../view/ground/cameras';
import type { Pass } from '../../../view/ground/exposures';
import { film, type FilmKind } from '../../../view/ground/film';
import { along, StillCamera, turned, type StillScene, type StillSettings } from '../../../view/ground/still';

/** What a still is to be. */
export interface StillWish {
  /** A kept view, or where the view is. */
  from: string;
  still: StillSettings;
  colour: 'view' | 'ground';
  water: boolean;
  sun: number;
  sunHeight: number;
  kind: Pass;
  /** More than one: around what is looked at, or along the kept views. */
  frames: number;
  way: 'around' | 'views';
  asFilm: boolean;
  perSecond: number;
}

/** What is photographed; for the frame in the sheet, and not the whole of it, with what is at hand. Throws with a sentence. */
export async function sceneOf({ colour, water, sun, sunHeight }: StillWish, whole: boolean): Promise<StillScene> {
  const { course: given, picture: shown, view: settings, standing } = useTerrain.getState();
  const [course, picture] = [given!, shown!];
  let colours = useTerrain.getState().colours;
  let source = { ground: picture.ground, height: picture.height };
  // The colours beside the view are those of the whole ground, but for a preview.
  const known = colours?.length === 4 * picture.height.length && (!whole || (!picture.preview && !standing));
  if (colour !== 'ground') colours = null;
  else if (!known && !picture.preview && !standing) {
    let found = await engine().coverColours(course, null);
    // A ground that was kept may lack what its cover reads until it has been worked out.
    if (whole && found.ok && !found.value && (await fullGround())) found = await engine().coverColours(course, null);
    if (!found.ok) throw new Error(found.sentence);
    colours = found.value;
  } else if (!known) {
    const drape = await engine().mapDrape(course, { kind: 'end' }, { kind: 'colour' }, true);
    if (!drape.ok) throw new Error(drape.sentence);
    colours = drape.value.rgb;
    source = { ground: drape.value.ground, height: drape.value.height };
  }
  if (whole && water && !useTerrain.getState().water) await refreshWater(course);
  const { lowest, highest } = picture.statistics;
  return {
    source,
    range: { low: lowest, high: highest },
    options: { ...settings, drape: colour === 'ground' ? 'ground' : settings.drape, water, sun, sunHeight },
    errors: picture.patchErrors ?? null,
    lights: settings.light === 'day' ? await lightOf(source, { ...settings, sun, sunHeight, water }) : null,
    colours,
    rock: course.rock ?? null,
    water: water ? useTerrain.getState().water : null,
  };
}

/** Pictures as they are taken, one after the other; the share of all of them that is done. */
interface Taking {
  camera: StillCamera;
  /** Where the view is. */
  here: CameraPlace;
  wish: StillWish;
  /** What this browser encodes a film with; null: nothing. */
  encodes: FilmKind | null;
  onWork: (share: number) => void;
  signal: AbortSignal;
}

/** A file to hand over. */
interface TakenFile {
  name: string;
  content: Blob | Uint8Array<ArrayBuffer>;
  mediaType: string;
}

const titleOf = (kind: Pass) => (kind === 'seen' ? '' : `-${kind}`);
const endingOf = (kind: Pass) => (kind === 'seen' ? 'png' : 'exr');

/** One picture in the file that is asked for. */
async function taken({ camera, wish: { still, kind }, signal }: Taking, at: CameraPlace, onWork: (share: number) => void): Promise<Uint8Array<ArrayBuffer>> {
  if (kind === 'seen') return new Uint8Array(await (await camera.take(at, still, onWork, signal)).arrayBuffer());
  const channels = await camera.floats(at, still, kind, onWork, signal);
  return encodeExr(still.width, still.height, kind === 'depth' ? { Z: channels[0] } : { R: channels[0], G: channels[1], B: channels[2] });
}

/** The still that is wished for, as a file: a picture, a film, or numbered pictures in a bundle. */
export async function takeStill(course: Course, taking: Taking): Promise<TakenFile> {
  const { camera, here, wish, encodes, onWork, signal } = taking;
  const { still, frames, kind, way, asFilm, perSecond } = wish;
  const name = safeName(course.name);
  const place = course.cameras.find((c) => c.id === wish.from) ?? here;
  const ending = endingOf(kind);
  if (frames === 1) {
    const content = await taken(taking, place, onWork);
    return { name: `${name}-still${titleOf(kind)}.${ending}`, content, mediaType: ending === 'png' ? 'image/png' : 'image/x-exr' };
  }
  const placeOf = (k: number) => (way === 'views' && course.cameras.length > 1 ? along(course.cameras, k / (frames - 1)) : turned(place, (360 * k) / frames));
  const part = (k: number) => (share: number) => onWork((k + share) / frames);
  const title = way === 'views' ? 'views' : 'turntable';
  if (kind === 'seen' && asFilm && encodes) {
    async function* pictures() {
      for (let k = 0; k < frames; k++) yield await camera.take(placeOf(k), still, part(k), signal);
    }
    const content = await film(pictures(), { width: still.width, height: still.height, perSecond, kind: encodes });
    return { name: `${name}-${title}.${encodes.ending}`, content, mediaType: encodes.mediaType };
  }
  const pieces: Uint8Array<ArrayBuffer>[] = [];
  async function* numbered() {
    for (let k = 0; k < frames; k++) {
      const bytes = await taken(taking, placeOf(k), part(k));
      yield { name: `${name}-${way === 'views' ? 'views' : 'turn'}${titleOf(kind)}-${String(k + 1).padStart(4, '0')}.${ending}`, bytes };
    }
  }
  await bundle(numbered(), (piece) => void pieces.push(piece));
  return { name: `${name}-${title}.zip`, content: new Blob(pieces), mediaType: 'application/zip' };
}
