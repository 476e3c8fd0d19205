import { readFileSync } from 'node:fs';
import { makeField, makeGround, type Field } from '@upland-cast/core';

/**
 * Maunga Whau: 87 × 61 heights 10 m apart, 94 to 195 m, digitised by Ross Ihaka; the data set
 * `volcano` of R, carried by the package vega-datasets as data/volcano.json.
 */
export function maungaWhau(): Field {
  const { width, height, values } = JSON.parse(readFileSync('node_modules/vega-datasets/data/volcano.json', 'utf8')) as {
    width: number;
    height: number;
    values: number[];
  };
  const ground = makeGround({ width: (width - 1) * 10, depth: (height - 1) * 10, across: width, down: height, registration: 'point' });
  return makeField(ground, Float32Array.from(values));
}
