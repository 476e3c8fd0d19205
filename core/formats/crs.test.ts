import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { besideOfCrs, crsBeside, inMetres } from './crs';

const bytes = (text: string) => new TextEncoder().encode(text);
const UTM = 'PROJCS["WGS 84 / UTM zone 30N",GEOGCS["WGS 84",UNIT["degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],UNIT["metre",1]]';

describe('a map beside a grid', () => {
  it('is read as one line, the WKT before the number', () => {
    expect(crsBeside({ '.prj': bytes('PROJCS["A",\r\n   UNIT["Meter",1.0]]\n') })).toBe('PROJCS["A", UNIT["Meter",1.0]]');
    expect(crsBeside({ '.crs.txt': bytes(' EPSG:27700\n') })).toBe('EPSG:27700');
    expect(crsBeside({ '.prj': bytes('X'), '.crs.txt': bytes('Y') })).toBe('X');
    expect([crsBeside({}), crsBeside(undefined)]).toEqual(['', '']);
    // A file that is no map is not carried along whole.
    expect(crsBeside({ '.prj': bytes('a'.repeat(1e6)) })).toHaveLength(20_000);
  });

  it('is written as WKT where it is known, by number where it is not', () => {
    const beside = (crs: string) =>
      besideOfCrs({ ...groundOf(3, 3, 1), georeference: { west: 0, north: 0, crs } }).map(({ ending, bytes: b }) => [
        ending,
        new TextDecoder().decode(b).trim(),
      ]);
    expect(beside(UTM)).toEqual([['.prj', UTM]]);
    expect(beside('EPSG:27700')).toEqual([['.crs.txt', 'EPSG:27700']]);
    expect([beside(''), beside('somewhere'), besideOfCrs(groundOf(3, 3, 1))]).toEqual([[], [], []]);
    // Central meridians and false northings of UTM (EPSG registry): zone 31 is centred on 3° E; in the south 10 000 km are added.
    const wkt = (code: number) => beside(`EPSG:${code}`)[0][1];
    expect(wkt(32_631)).toContain('PARAMETER["Central_Meridian",3.0]');
    expect(wkt(32_631)).toContain('PARAMETER["False_Northing",0.0]');
    expect(wkt(32_756)).toContain('PARAMETER["Central_Meridian",153.0]');
    expect(wkt(32_756)).toContain('PARAMETER["False_Northing",10000000.0]');
    expect(wkt(25_830)).toContain('ETRS_1989_UTM_Zone_30N');
    expect(wkt(26_910)).toContain('North_American_1983');
    expect(wkt(4326)).toMatch(/^GEOGCS/);
    for (const code of [32_661, 25_839, 26_924, 32_700]) expect(beside(`EPSG:${code}`)[0][0]).toBe('.crs.txt');
  });
});

describe('spacing in the units of a map', () => {
  const place = { west: 500_000, north: 6_000_000, crs: '' };

  it('is metres as it is, on a map that counts in them', () => {
    expect(inMetres({ x: 30, y: 30 }, place, 100, UTM)).toEqual({ spacing: { x: 30, y: 30 }, georeference: { ...place, crs: UTM }, odd: [] });
  });

  it('is turned from feet, and the place with it', () => {
    // The foot of US surveys: 1200 / 3937 m.
    const feet = 1200 / 3937;
    const crs = `PROJCS["State plane",GEOGCS["NAD83",UNIT["Degree",0.0174532925199433]],UNIT["Foot_US",${feet}]]`;
    const { spacing, georeference, odd } = inMetres({ x: 100, y: 50 }, place, 10, crs);
    expect(spacing!.x).toBeCloseTo(100 * feet, 9);
    expect(spacing!.y).toBeCloseTo(50 * feet, 9);
    expect(georeference!.perMetre!.x).toBeCloseTo(1 / feet, 9);
    expect(odd.join()).toContain('does not count in metres');
  });

  it('is turned from degrees, where it says so or seems to, at the latitude of its middle', () => {
    const second = 1 / 3600;
    const at = { west: -3, north: 54.5, crs: '' };
    const { spacing, odd } = inMetres({ x: second, y: second }, at, 3600, 'GEOGCS["WGS 84"]');
    // A degree of latitude at 54° is 111.3 km, of longitude 65.6 km (WGS 84, as atlases print them).
    expect(Math.abs(spacing!.y * 3600 - 111_310)).toBeLessThan(60);
    expect(Math.abs(spacing!.x * 3600 - 65_570)).toBeLessThan(80);
    expect(odd[0]).toContain('54.000° north');
    const seems = inMetres({ x: second, y: second }, { ...at, north: -33 }, 3600, '');
    expect(seems.odd[0]).toContain('does not name its map');
    expect(seems.odd[0]).toContain('south');
    // Steps of metres are no degrees, and neither is a place off the globe.
    expect(inMetres({ x: 0.5, y: 0.5 }, at, 10, '').odd).toEqual([]);
    expect(inMetres({ x: 0.01, y: 0.01 }, place, 10, '').odd).toEqual([]);
  });

  it('is left as it is where there is none, or no place', () => {
    expect(inMetres(null, place, 10, UTM)).toEqual({ spacing: null, georeference: { ...place, crs: UTM }, odd: [] });
    expect(inMetres({ x: 1, y: 1 }, undefined, 10, UTM)).toEqual({ spacing: { x: 1, y: 1 }, odd: [] });
  });
});
