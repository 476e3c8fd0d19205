import { describe, expect, it } from 'vitest';
import { readHeightmap } from '.';
import { toField } from './heights';

const bytes = (text: string) => new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>;
const read = (text: string) => readHeightmap(bytes(text));
const HEADER = 'ncols 3\nnrows 2\nxllcorner 10\nyllcorner 20\ncellsize 5\n';

describe('ASCII grids as people have them', () => {
  const want = [1.5, 2, 3, 4, 5, 6];
  it.each([
    ['a mark of byte order', `\ufeff${HEADER}1.5 2 3\n4 5 6\n`],
    ['CR alone', `${HEADER}1.5 2 3\n4 5 6\n`.replace(/\n/g, '\r')],
    ['CR LF', `${HEADER}1.5 2 3\n4 5 6\n`.replace(/\n/g, '\r\n')],
    ['remarks', `# survey\n; of 1998\n${HEADER}# heights\n1.5 2 3 # first row\n4 5 6\n`],
    ['another order, other letters', 'CELLSIZE 5\nYLLCORNER 20\nNROWS 2\nXLLCORNER 10\nNCOLS 3\n1.5 2 3\n4 5 6\n'],
    ['colons and equals signs', 'ncols: 3\nnrows = 2\nxllcorner:10\nyllcorner=20\ncellsize : 5\n1.5 2 3\n4 5 6\n'],
    ['units', HEADER.replace('cellsize 5', 'cellsize 5 m') + '1.5 2 3\n4 5 6\n'],
    ['the header in one line', `${HEADER.replace(/\n/g, ' ')}\n1.5 2 3\n4 5 6\n`],
    ['decimal commas', `${HEADER}1,5 2,0 3\n4,0 5 6\n`],
    ['decimal commas and semicolons', `${HEADER}1,5;2,0;3\n4;5;6\n`],
    ['commas between', `${HEADER}1.5,2,3\n4,5,6\n`],
    ['all in one row', `${HEADER}1.5 2 3 4 5 6`],
    ['only dx', HEADER.replace('cellsize 5', 'dx 5') + '1.5 2 3\n4 5 6\n'],
  ])('%s', async (_, text) => {
    const reading = await read(text);
    expect([...reading.samples]).toEqual(want);
    expect(reading).toMatchObject({ format: 'asc', width: 3, height: 2, spacing: { x: 5, y: 5 }, georeference: { west: 10, north: 30 } });
  });

  it('in UTF-16, either order', async () => {
    const text = `${HEADER}1.5 2 3\n4 5 6\n`;
    for (const little of [true, false]) {
      const out = new Uint8Array(2 + 2 * text.length);
      const view = new DataView(out.buffer);
      view.setUint16(0, 0xfeff, little);
      for (let i = 0; i < text.length; i++) view.setUint16(2 + 2 * i, text.charCodeAt(i), little);
      expect([...(await readHeightmap(out)).samples]).toEqual(want);
    }
  });

  it('one comma a word between whole numbers parts them where the columns ask for it', async () => {
    expect([...(await read('ncols 2\nnrows 2\n1,5\n2,6\n')).samples]).toEqual([1, 5, 2, 6]);
  });

  it('what is passed over is said: units, one spacing, what comes after the last height', async () => {
    expect((await read(`${HEADER.replace('cellsize 5', 'cellsize 5 ft')}1 2 3 4 5 6`)).odd.join(' ')).toMatch(/cellsize in feet/);
    expect((await read(`${HEADER.replace('cellsize 5', 'dx 5')}1 2 3 4 5 6`)).odd.join(' ')).toMatch(/one way only; 5 was taken/);
    expect((await read(`${HEADER}1 2 3 4 5 6\n7 8 and so on`)).odd.join(' ')).toMatch(/which was not read: "7 8 and so on"/);
  });

  it('no data: the usual number where none is named, however the header spells it, numbers that overflow', async () => {
    const usual = await read(`${HEADER}1 -9999 3 4 5 6`);
    expect(usual.noData).toBe(-9999);
    expect(usual.odd.join(' ')).toMatch(/1 samples of -9999, the usual one/);
    expect((await read(`${HEADER}1 2 3 4 5 6`)).noData).toBeNull();
    for (const [said, written] of [
      ['-3.402823e+38', '-3.4028234663852886e+38'],
      ['-3.4028234663852886e+38', '-3.40282e38'],
      ['-9999.0', '-9999'],
      ['-99,5', '-99.5'],
    ]) {
      const reading = await read(`${HEADER}NODATA_value ${said}\n1 ${written} 3 4 5 6`);
      expect(toField(reading).valid && [...toField(reading).valid!], said).toEqual([1, 0, 1, 1, 1, 1]);
    }
    const large = await read(`${HEADER}1 1e999 3 4 5 6`);
    expect(large.odd.join(' ')).toMatch(/1 of its numbers are too large/);
    expect([...toField(large).valid!]).toEqual([1, 0, 1, 1, 1, 1]);
    expect([...toField(await read(`${HEADER}1 nan 3 -1.#IND 5 1.#QNAN`)).valid!]).toEqual([1, 0, 1, 0, 1, 0]);
  });

  it('damage is quoted and cut', async () => {
    await expect(read(`${HEADER}1 2 \u0001${'x'.repeat(90)} 4 5 6`)).rejects.toThrow(/"·x{19}…" in row 1 is not a number/);
    await expect(read('ncols 3\nnrows two\n1 2 3')).rejects.toThrow(/its nrows is "two"/);
  });
});

describe('text of points as people have it', () => {
  const want = [3, 4, 1, 2];
  it.each([
    ['plain', '0 0 1\n1 0 2\n0 1 3\n1 1 4\n'],
    ['CR alone', '0 0 1\r1 0 2\r0 1 3\r1 1 4\r'],
    ['a mark of byte order and names', '\ufeffx,y,z\n0,0,1\n1,0,2\n0,1,3\n1,1,4\n'],
    ['remarks and several lines of names', '# made in 1998\n// by hand\nSurvey of the fell\nEasting Northing Height\n0 0 1\n1 0 2\n0 1 3\n1 1 4\n'],
    ['names in another order', 'elevation;lat;lon\n1;0;0\n2;0;1\n3;1;0\n4;1;1\n'],
    ['decimal commas', '0,0;0,0;1,0\n1,0;0,0;2,0\n0,0;1,0;3,0\n1,0;1,0;4,0\n'],
    ['decimal commas parted by spaces', '0,0 0,0 1,0\n1,0 0,0 2,0\n0,0 1,0 3,0\n1,0 1,0 4,0\n'],
    ['a column that counts', '1 0 0 1\n2 1 0 2\n3 0 1 3\n4 1 1 4\n'],
    ['a column of names', 'P1 0 0 1\nP2 1 0 2\nP3 0 1 3\nP4 1 1 4\n'],
    ['trailing columns', '0 0 1 255 0 0\n1 0 2 255 0 0\n0 1 3 9 9 9\n1 1 4 1 2 3\n'],
  ])('%s', async (_, text) => {
    const reading = await read(text);
    expect([...reading.samples]).toEqual(want);
    expect(reading).toMatchObject({ format: 'xyz', width: 2, height: 2 });
  });

  it('what was left out is said; too much of it is refused', async () => {
    expect((await read('1 0 0 1\n2 1 0 2\n3 0 1 3\n4 1 1 4\n')).odd.join(' ')).toMatch(/first column names the points/);
    expect((await read('0 0 1\n1 0 2\n0 1 3\n1 1 4\nend of file\n')).odd.join(' ')).toMatch(
      /1 of its lines hold no point and was left out, the first of them line 5/,
    );
    await expect(read(`0 0 1\n1 0 2\n${'not a point\n'.repeat(20)}`)).rejects.toThrow(/Line 3 of this text is "not a point", and there are more like it/);
  });

  it('words are not heights, and a mesh is not points', async () => {
    await expect(read('just some words\nof a letter')).rejects.toThrow(/It begins with "just some words"/);
    await expect(read('v 0 0 1\nv 1 0 2\nv 0 1 3\nf 1 2 3\n')).rejects.toThrow(/This is a mesh/);
  });
});
