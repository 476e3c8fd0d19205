import type { Georeference, Ground } from '../field/ground';
import { metresADegree } from './degrees';
import type { Beside, ReadOptions } from './format';

/** The CRS as a file beside a grid has it: WKT in `.prj`, as one line, or a number in `.crs.txt`. */
export function crsBeside(beside: ReadOptions['beside']): string {
  const text = beside?.['.prj'] ?? beside?.['.crs.txt'];
  return text ? new TextDecoder('utf-8').decode(text.subarray(0, 20_000)).replace(/\s+/g, ' ').trim() : '';
}

/**
 * A spacing in the units of a CRS as metres, and the place with it. WKT says whether they are
 * degrees or feet; without it, steps of less than 0.02 within ±180 and ±90 are taken for
 * degrees, which is said.
 */
export function inMetres(
  spacing: { x: number; y: number } | null,
  place: Georeference | undefined,
  rows: number,
  crs: string,
): { spacing: { x: number; y: number } | null; georeference?: Georeference; odd: string[] } {
  const odd: string[] = [];
  if (!spacing || !place) return { spacing, ...(place ? { georeference: { ...place, crs } } : {}), odd };
  const { x, y } = spacing;
  const says = /^\s*(GEOGCS|GEOGCRS|GEODCRS)/i.test(crs);
  const seems = crs === '' && x < 0.02 && y < 0.02 && Math.abs(place.west) <= 180 && Math.abs(place.north) <= 90;
  let perMetre: Georeference['perMetre'];
  if (says || seems) {
    const middle = place.north - (y * rows) / 2;
    const metres = metresADegree(middle);
    perMetre = { x: 1 / metres.x, y: 1 / metres.y };
    const found = says ? 'Its samples lie' : 'It does not name its map; by its numbers its samples lie';
    odd.push(`${found} parts of a degree apart; metres were worked out for ${Math.abs(middle).toFixed(3)}° ${middle < 0 ? 'south' : 'north'}, its middle.`);
  } else {
    // The last UNIT of a projected system is that of its map.
    const units = [...crs.matchAll(/UNIT\["[^"]*",\s*([0-9.eE+-]+)/gi)].map((m) => Number(m[1]));
    const unit = /^\s*(PROJCS|PROJCRS)/i.test(crs) ? units[units.length - 1] : undefined;
    if (unit && unit > 0.1 && unit < 10 && Math.abs(unit - 1) > 1e-9) {
      perMetre = { x: 1 / unit, y: 1 / unit };
      odd.push('Its map does not count in metres; its spacing was turned into metres.');
    }
  }
  const metres = perMetre ? { x: x / perMetre.x, y: y / perMetre.y } : { x, y };
  return { spacing: metres, georeference: { ...place, crs, ...(perMetre ? { perMetre } : {}) }, odd };
}

/**
 * The file that carries a ground's CRS beside a grid that has no place for it: `.prj` with its
 * WKT; for a number whose WKT is not known here, `.crs.txt` with the number.
 */
export function besideOfCrs({ georeference }: Ground): Beside[] {
  const crs = georeference?.crs ?? '';
  const file = (ending: string, text: string) => [{ ending, bytes: new TextEncoder().encode(`${text}\n`) as Beside['bytes'] }];
  if (/^\s*(GEOG|GEOD|PROJ|COMPD|BOUND|LOCAL|ENG)[A-Z_]*\[/i.test(crs)) return file('.prj', crs);
  const code = Number(/^EPSG:(\d+)$/.exec(crs)?.[1]);
  if (!code) return [];
  const wkt = wktOf(code);
  return wkt ? file('.prj', wkt) : file('.crs.txt', crs);
}

interface Datum {
  name: string;
  spheroid: string;
}
const DATUMS = {
  wgs84: { name: 'WGS_1984', spheroid: 'SPHEROID["WGS_1984",6378137.0,298.257223563]' },
  etrs89: { name: 'ETRS_1989', spheroid: 'SPHEROID["GRS_1980",6378137.0,298.257222101]' },
  nad83: { name: 'North_American_1983', spheroid: 'SPHEROID["GRS_1980",6378137.0,298.257222101]' },
} satisfies Record<string, Datum>;

/**
 * WKT (OGC 01-009, as `.prj` files have it) of the systems that surveys mostly come in: WGS 84 in
 * degrees, and the UTM zones on WGS 84, ETRS89 and NAD83. Numbers of the EPSG registry.
 */
function wktOf(code: number): string | null {
  const degrees = (datum: Datum) =>
    `GEOGCS["GCS_${datum.name}",DATUM["D_${datum.name}",${datum.spheroid}],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]]`;
  const zone = (datum: Datum, number: number, south = false) =>
    `PROJCS["${datum.name}_UTM_Zone_${number}${south ? 'S' : 'N'}",${degrees(datum)},PROJECTION["Transverse_Mercator"],` +
    `PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",${south ? '10000000.0' : '0.0'}],PARAMETER["Central_Meridian",${6 * number - 183}.0],` +
    'PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]';
  if (code === 4326) return degrees(DATUMS.wgs84);
  if (code >= 32_601 && code <= 32_660) return zone(DATUMS.wgs84, code - 32_600);
  if (code >= 32_701 && code <= 32_760) return zone(DATUMS.wgs84, code - 32_700, true);
  if (code >= 25_828 && code <= 25_838) return zone(DATUMS.etrs89, code - 25_800);
  if (code >= 26_901 && code <= 26_923) return zone(DATUMS.nad83, code - 26_900);
  return null;
}
