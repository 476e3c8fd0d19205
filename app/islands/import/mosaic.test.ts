import { describe, expect, it } from 'vitest';
import type { MosaicLook } from '../../engine/api';
import { groundOfMosaic } from './mosaic';

const look = {
  width: 4000,
  depth: 2000,
  spacing: { x: 10, y: 10 },
  registration: 'point',
  georeference: { west: 431_000, north: 5_120_000, crs: '' },
} as unknown as MosaicLook;

describe('the ground of a mosaic', () => {
  it('has the files’ spacing: the outer samples on its edge, or cells that fill it', () => {
    expect(groundOfMosaic(look, 'names')).toMatchObject({ width: 4000, depth: 2000, across: 401, down: 201, registration: 'point' });
    expect(groundOfMosaic({ ...look, registration: 'area' }, 'hand')).toMatchObject({ across: 400, down: 200, registration: 'area' });
  });

  it('lies in the world only where its files are laid out by what they say of it', () => {
    expect(groundOfMosaic(look, 'place').georeference).toEqual(look.georeference);
    expect(groundOfMosaic(look, 'names').georeference).toBeUndefined();
  });
});
