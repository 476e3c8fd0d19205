import { DEGREE, exactMath } from '../kernels/math';

/**
 * Metres in a degree of longitude and of latitude at a latitude, on the WGS 84 ellipsoid.
 * Source: the series of the geodetic handbooks (111 132.954 − 559.822 cos 2φ + 1.175 cos 4φ and
 * 111 412.84 cos φ − 93.5 cos 3φ; from memory), good to a metre.
 */
export function metresADegree(latitude: number): { x: number; y: number } {
  const { cos } = exactMath();
  const phi = Math.max(-89, Math.min(89, latitude)) * DEGREE;
  return {
    x: 111_412.84 * cos(phi) - 93.5 * cos(3 * phi),
    y: 111_132.954 - 559.822 * cos(2 * phi) + 1.175 * cos(4 * phi),
  };
}
