import { spacingOf, type Georeference, type Ground, type Registration } from '../../field/ground';
import { metresADegree } from '../degrees';
import type { Directory, TagToWrite } from './directory';

const TAG = { pixelScale: 33_550, tiepoint: 33_922, transformation: 34_264, geoKeys: 34_735, geoNumbers: 34_736, geoText: 34_737 } as const;
/** GeoKeys by their numbers (OGC 19-008, annex B). */
const KEY = {
  modelType: 1024,
  rasterType: 1025,
  citation: 1026,
  geographic: 2048,
  geogCitation: 2049,
  projected: 3072,
  linearUnits: 3076,
  verticalUnits: 4099,
};

/** Metres a unit: metre, foot, US survey foot (OGC 19-008 takes the numbers of the EPSG registry). */
const UNITS: Record<number, number> = { 9001: 1, 9002: 0.3048, 9003: 1200 / 3937 };

/** More text and numbers than any system needs are not looked at. */
const MOST_TEXT = 20_000;
const MOST_KEYS = 65_536;

export interface Place {
  /** Metres. */
  spacing: { x: number; y: number } | null;
  registration?: Registration;
  georeference?: Georeference;
  /** Metres a unit of height, where the keys say that heights are in feet. */
  feet?: number;
  odd: string[];
}

/** From sample to sample and the north-west corner, in the map's own units; null where they are not said. */
function cornerOf(directory: Directory, odd: string[]): { scale: { x: number; y: number } | null; corner: { west: number; north: number } | null } {
  const pixel = directory.numbers(TAG.pixelScale);
  const tie = directory.numbers(TAG.tiepoint);
  const turned = directory.numbers(TAG.transformation);
  let scale = pixel && pixel[0] > 0 && pixel[1] > 0 ? { x: pixel[0], y: pixel[1] } : null;
  let corner = scale && tie && tie.length >= 6 ? { west: tie[3] - tie[0] * scale.x, north: tie[4] + tie[1] * scale.y } : null;
  if (!scale && turned && turned.length >= 16) {
    const straight = turned[1] === 0 && turned[4] === 0 && turned[0] > 0 && turned[5] < 0;
    if (straight) {
      scale = { x: turned[0], y: -turned[5] };
      corner = { west: turned[3], north: turned[7] };
    } else odd.push('It lies turned on its map; the turn was left out, and its place with it.');
  }
  return { scale, corner };
}

/** Where a GeoTIFF lies, with its spacing in metres whatever its CRS counts in; the keys are kept as they are. */
export function placeOf(directory: Directory, rows: number): Place {
  const odd: string[] = [];
  const keys = directory.numbers(TAG.geoKeys, MOST_KEYS);
  const numbers = directory.numbers(TAG.geoNumbers, MOST_KEYS) ?? [];
  const text = (directory.text(TAG.geoText) ?? '').slice(0, MOST_TEXT);
  const key = (id: number): number | string | undefined => {
    for (let i = 4; keys && i + 3 < keys.length; i += 4) {
      if (keys[i] !== id) continue;
      const [, kind, count, value] = keys.slice(i, i + 4);
      if (kind === 0) return value;
      if (kind === TAG.geoText) return text.slice(value, value + count).replace(/\|$/, '');
      if (kind === TAG.geoNumbers) return numbers[value];
    }
    return undefined;
  };
  const { scale, corner } = cornerOf(directory, odd);
  const feet = UNITS[Number(key(KEY.verticalUnits))];
  const rasterType = key(KEY.rasterType);
  const place: Place = {
    spacing: scale,
    registration: keys && rasterType ? (rasterType === 2 ? 'point' : 'area') : undefined,
    feet: feet && feet !== 1 ? feet : undefined,
    odd,
  };
  if (place.feet) odd.push('Its keys say that its heights are in feet; they were turned into metres.');
  if (!scale || !corner || !Number.isFinite(corner.west + corner.north)) return place;

  let perMetre: Georeference['perMetre'];
  const unit = UNITS[Number(key(KEY.linearUnits))];
  if (key(KEY.modelType) === 2) {
    const middle = corner.north - (scale.y * rows) / 2;
    const metres = metresADegree(middle);
    perMetre = { x: 1 / metres.x, y: 1 / metres.y };
    odd.push(
      `Its samples lie parts of a degree apart; metres were worked out for ${Math.abs(middle).toFixed(3)}° ${middle < 0 ? 'south' : 'north'}, its middle.`,
    );
  } else if (unit && unit !== 1) {
    perMetre = { x: 1 / unit, y: 1 / unit };
    odd.push('Its map counts in feet; its spacing was turned into metres.');
  }
  if (perMetre) place.spacing = { x: scale.x / perMetre.x, y: scale.y / perMetre.y };
  const code = Number(key(KEY.projected) ?? key(KEY.geographic));
  const named = key(KEY.citation) ?? key(KEY.geogCitation);
  place.georeference = {
    ...corner,
    crs: code > 0 && code < 32_767 ? `EPSG:${code}` : typeof named === 'string' ? named : text.replace(/\|/g, ' ').trim(),
    ...(perMetre ? { perMetre } : {}),
    ...(keys && keys.length <= 2048 && numbers.length <= 1024 ? { geoKeys: { directory: keys, numbers, text } } : {}),
  };
  return place;
}

/** The tags that say where a ground lies: its own keys as they came, or a map in metres of no published system. */
export function placeEntries(ground: Ground): TagToWrite[] {
  const { x, y } = spacingOf(ground);
  const place = ground.georeference ?? { west: 0, north: ground.depth, crs: '' };
  const per = place.perMetre ?? { x: 1, y: 1 };
  const raster = ground.registration === 'point' ? 2 : 1;
  const own = place.geoKeys;
  const directory = own ? withRasterType(own.directory, raster) : plainKeys(place.crs, raster);
  // Heights are written in metres, whatever they came in.
  for (let i = 4; i + 3 < directory.length; i += 4) if (directory[i] === KEY.verticalUnits && UNITS[directory[i + 3]]) directory[i + 3] = 9001;
  const text = own ? own.text : place.crs && !/^EPSG:\d+$/.test(place.crs) ? `${ascii(place.crs)}|` : '';
  return [
    { tag: TAG.pixelScale, kind: 12, values: [x * per.x, y * per.y, 0] },
    { tag: TAG.tiepoint, kind: 12, values: [0, 0, 0, place.west, place.north, 0] },
    { tag: TAG.geoKeys, kind: 3, values: directory },
    ...(own?.numbers.length ? [{ tag: TAG.geoNumbers, kind: 12 as const, values: own.numbers }] : []),
    ...(text ? [{ tag: TAG.geoText, kind: 2 as const, values: `${ascii(text)}\0` }] : []),
  ];
}

function plainKeys(crs: string, raster: number): number[] {
  const code = Number(/^EPSG:(\d+)$/.exec(crs)?.[1]);
  const known = code > 0 && code < 32_767;
  // Numbers from 4000 to 4999 are systems of degrees in the EPSG registry (common practice).
  const degrees = known && code >= 4000 && code < 5000;
  const entries: [number, number, number, number][] = [
    [KEY.modelType, 0, 1, degrees ? 2 : 1],
    [KEY.rasterType, 0, 1, raster],
  ];
  if (crs && !known) entries.push([KEY.citation, TAG.geoText, ascii(crs).length + 1, 0]);
  if (degrees) entries.push([KEY.geographic, 0, 1, code]);
  else {
    entries.push([KEY.projected, 0, 1, known ? code : 32_767]);
    if (!known) entries.push([KEY.linearUnits, 0, 1, 9001]);
  }
  return [1, 1, 0, entries.length, ...entries.flat()];
}

function withRasterType(directory: number[], raster: number): number[] {
  const out = directory.slice();
  for (let i = 4; i + 3 < out.length; i += 4) {
    if (out[i] !== KEY.rasterType) continue;
    out[i + 3] = raster;
    return out;
  }
  // Keys are sorted by their numbers, and the fourth number counts them.
  let at = 4;
  while (at + 3 < out.length && out[at] < KEY.rasterType) at += 4;
  out.splice(at, 0, KEY.rasterType, 0, 1, raster);
  out[3]++;
  return out;
}

const ascii = (text: string) => text.replace(/[^\x20-\x7e]/g, '?');
