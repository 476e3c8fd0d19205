/** The sky over the ground, after Preetham, Shirley & Smits 1999, "A practical analytic model for daylight". */

export type Rgb = [number, number, number];

/** Where the sun stands, and how clear the air is. */
export interface SkySettings {
  /** Degrees clockwise from north. */
  azimuth: number;
  /** Degrees above the level horizon; less than 0: it has set. */
  altitude: number;
  /** Preetham's turbidity: 2 is very clear, 6 hazy. */
  turbidity: number;
}

/** What light falls on the ground, in thousand lux, linear red, green and blue. */
export interface Daylight {
  /** From the sun, on what faces it. */
  sun: Rgb;
  /** From the whole sky, on level open ground. */
  sky: Rgb;
  /** The brightness of the horizon towards the sun and away from it, thousand candela a square metre. */
  towards: Rgb;
  away: Rgb;
}

/** Perez' five numbers, for brightness Y and the colour's x and y, each `[a, b]` of aT + b. */
const PEREZ = {
  Y: [
    [0.1787, -1.463],
    [-0.3554, 0.4275],
    [-0.0227, 5.3251],
    [0.1206, -2.5771],
    [-0.067, 0.3703],
  ],
  x: [
    [-0.0193, -0.2592],
    [-0.0665, 0.0008],
    [-0.0004, 0.2125],
    [-0.0641, -0.8989],
    [-0.0033, 0.0452],
  ],
  y: [
    [-0.0167, -0.2608],
    [-0.095, 0.0092],
    [-0.0079, 0.2102],
    [-0.0441, -1.6537],
    [-0.0109, 0.0529],
  ],
} as const;

/** The zenith's colour: rows for T², T and 1, columns for the third power of the sun's angle down to 1. */
const ZENITH = {
  x: [
    [0.00166, -0.00375, 0.00209, 0],
    [-0.02903, 0.06377, -0.03202, 0.00394],
    [0.11693, -0.21196, 0.06052, 0.25886],
  ],
  y: [
    [0.00275, -0.0061, 0.00317, 0],
    [-0.04214, 0.0897, -0.04153, 0.00516],
    [0.15346, -0.26756, 0.0667, 0.26688],
  ],
} as const;

const RADIANS = Math.PI / 180;
/** The model ends at the horizon: a sun that has set lights the sky as one that is setting, and less and less. */
const LOWEST_SUN = 0.5;
/** Degrees under the horizon at which the sky is dark (the end of civil twilight). */
const TWILIGHT = 6;
/** Thousand lux outside of the air. */
const SOLAR = 128;

type Five = readonly [number, number, number, number, number];

/** What a shader needs to know of a sky. */
export interface SkyModel {
  perez: { Y: Five; x: Five; y: Five };
  /** Y in thousand candela a square metre, x, y at the zenith, divided by Perez' function there. */
  zenith: Rgb;
  /** Towards the sun: east, up, south; not under the horizon. */
  sun: Rgb;
  /** 1 by day; less when the sun has set. */
  strength: number;
}

/** Perez' function for a direction: the cosine of its angle to the zenith, and its angle to the sun. */
export function perez([a, b, c, d, e]: Five, cosZenith: number, gamma: number): number {
  const cos = Math.cos(gamma);
  return (1 + a * Math.exp(b / Math.max(0.01, cosZenith))) * (1 + c * Math.exp(d * gamma) + e * cos * cos);
}

export function skyModel({ azimuth, altitude, turbidity: T }: SkySettings): SkyModel {
  const high = Math.max(LOWEST_SUN, altitude) * RADIANS;
  const theta = Math.PI / 2 - high;
  const five = (of: (typeof PEREZ)[keyof typeof PEREZ]) => of.map(([k, n]) => k * T + n) as unknown as Five;
  const model = { Y: five(PEREZ.Y), x: five(PEREZ.x), y: five(PEREZ.y) };
  const chi = (4 / 9 - T / 120) * (Math.PI - 2 * theta);
  const brightness = (4.0453 * T - 4.971) * Math.tan(chi) - 0.2155 * T + 2.4192;
  const powers = [theta ** 3, theta ** 2, theta, 1];
  const colour = (rows: readonly (readonly number[])[]) =>
    [T * T, T, 1].reduce((sum, t, k) => sum + t * rows[k].reduce((part, v, i) => part + v * powers[i], 0), 0);
  const at = { Y: perez(model.Y, 1, theta), x: perez(model.x, 1, theta), y: perez(model.y, 1, theta) };
  return {
    perez: model,
    zenith: [Math.max(0.05, brightness) / at.Y, colour(ZENITH.x) / at.x, colour(ZENITH.y) / at.y],
    sun: [Math.sin(azimuth * RADIANS) * Math.cos(high), Math.sin(high), -Math.cos(azimuth * RADIANS) * Math.cos(high)],
    strength: altitude >= 0 ? 1 : Math.max(0, 1 + altitude / TWILIGHT),
  };
}

/** CIE Y, x, y as linear red, green and blue (IEC 61966-2-1 primaries). */
export function rgbOfYxy(Y: number, x: number, y: number): Rgb {
  const [X, Z] = [(x / y) * Y, ((1 - x - y) / y) * Y];
  return [
    Math.max(0, 3.2406 * X - 1.5372 * Y - 0.4986 * Z),
    Math.max(0, -0.9689 * X + 1.8758 * Y + 0.0415 * Z),
    Math.max(0, 0.0557 * X - 0.204 * Y + 1.057 * Z),
  ];
}

/** How bright the sky is in a direction (east, up, south, of length one), thousand candela a square metre. */
export function skyAt({ perez: model, zenith, sun, strength }: SkyModel, [e, u, s]: Rgb): Rgb {
  const up = Math.max(0, u);
  const gamma = Math.acos(Math.min(1, Math.max(-1, e * sun[0] + up * sun[1] + s * sun[2])));
  const [Y, x, y] = (['Y', 'x', 'y'] as const).map((of, k) => zenith[k] * perez(model[of], up, gamma));
  return rgbOfYxy(strength * Y, x, y);
}

/** What of the sun's light the air lets through, at three wavelengths (Preetham's appendix, after Iqbal 1983). */
export function sunThrough(altitude: number, T: number): Rgb {
  const angle = 90 - Math.max(0, altitude);
  const mass = 1 / (Math.cos(angle * RADIANS) + 0.15 * (93.885 - angle) ** -1.253);
  const beta = 0.04608 * T - 0.04586;
  const ozone = [0.085, 0.1, 0.01];
  return [0.65, 0.55, 0.45].map(
    (lambda, k) => Math.exp(-0.008735 * lambda ** -4.08 * mass) * Math.exp(-Math.max(0, beta) * lambda ** -1.3 * mass) * Math.exp(-ozone[k] * 0.35 * mass),
  ) as Rgb;
}

const RINGS = 12;
const SECTORS = 24;

/** The light of a day on the ground, worked out once for a place of the sun. */
export function daylight(settings: SkySettings): Daylight {
  const model = skyModel(settings);
  const { azimuth, altitude, turbidity } = settings;
  const sky: Rgb = [0, 0, 0];
  for (let ring = 0; ring < RINGS; ring++) {
    // Equal shares of the light that level ground is given.
    const up = Math.sqrt((ring + 0.5) / RINGS);
    const out = Math.sqrt(1 - up * up);
    for (let sector = 0; sector < SECTORS; sector++) {
      const angle = ((sector + 0.5) / SECTORS) * 2 * Math.PI;
      const part = skyAt(model, [out * Math.sin(angle), up, out * Math.cos(angle)]);
      for (let c = 0; c < 3; c++) sky[c] += (Math.PI * part[c]) / (RINGS * SECTORS);
    }
  }
  const over = altitude <= -0.27 ? 0 : Math.min(1, (altitude + 0.27) / 0.53);
  const sun = sunThrough(altitude, turbidity).map((t) => SOLAR * t * over) as Rgb;
  const horizon = (degrees: number) => skyAt(model, [Math.sin(degrees * RADIANS), 0.04, -Math.cos(degrees * RADIANS)]);
  return { sun, sky, towards: horizon(azimuth), away: horizon(azimuth + 180) };
}

/** The share of light that water throws back, by the cosine of the angle to its normal (Fresnel, unpolarised, index 1.333). */
export function fresnel(cosine: number): number {
  const c = Math.min(1, Math.max(0, cosine));
  const g = Math.sqrt(1.333 * 1.333 - 1 + c * c);
  const a = (g - c) / (g + c);
  const b = (c * (g + c) - 1) / (c * (g - c) + 1);
  return 0.5 * a * a * (1 + b * b);
}

/** What of light is left after a metre of clear lake water: red goes first (pure water after Pope & Fry 1997 with a lake's own matter). */
export const WATER_ABSORPTION: Rgb = [0.42, 0.11, 0.08];

/** What is left of light on its way through water, each way `depth` metres. */
export const throughWater = (depth: number): Rgb => WATER_ABSORPTION.map((k) => Math.exp(-2 * k * Math.max(0, depth))) as Rgb;

/** Where the sun stands at an hour of the day (12: noon by the sun) at a latitude, on a day that is so far from midsummer of it, −1 (midwinter) to 1. */
export function sunAt(hour: number, latitude: number, season: number): { azimuth: number; altitude: number } {
  const declination = 23.44 * season * Math.sign(latitude || 1) * RADIANS;
  const [phi, turn] = [latitude * RADIANS, (hour - 12) * 15 * RADIANS];
  const up = Math.sin(phi) * Math.sin(declination) + Math.cos(phi) * Math.cos(declination) * Math.cos(turn);
  const altitude = Math.asin(Math.min(1, Math.max(-1, up)));
  const azimuth = Math.atan2(
    -Math.sin(turn) * Math.cos(declination),
    Math.sin(declination) * Math.cos(phi) - Math.cos(declination) * Math.sin(phi) * Math.cos(turn),
  );
  return { azimuth: (azimuth / RADIANS + 360) % 360, altitude: altitude / RADIANS };
}
