/** What can be laid over the ground beside its tint: a name, its legend, and its colours. */
export interface LayerDrape {
  name: string;
  unit: string;
  /** Equal ratios rather than equal differences along the scale. */
  logarithmic?: boolean;
  /** Centred on zero: less in the first half of the colours, more in the second. */
  diverging?: boolean;
  ramp: readonly [number, string][];
  /** Said where there is nothing to show. */
  absent: string;
}

const PALE = '#dbd9d1';

/** From soft to hard rock. */
export const ROCK_RAMP: readonly [number, string][] = [
  [0, '#d8c9a4'],
  [0.5, '#a98f6f'],
  [1, '#4b443d'],
];

/** Lightness falls evenly along each scale; the diverging one is safe for eyes that do not part red from green. */
export const LAYER_DRAPES = {
  drainage: {
    name: 'Drainage',
    unit: 'm²',
    logarithmic: true,
    ramp: [
      [0, PALE],
      [0.3, '#c4cfce'],
      [0.55, '#8fb2c0'],
      [0.78, '#4a86a6'],
      [1, '#123f63'],
    ],
    absent: '',
  },
  flow: {
    name: 'Flow',
    unit: 'm²',
    logarithmic: true,
    ramp: [
      [0, PALE],
      [0.3, '#cfd3c4'],
      [0.55, '#9dbdb4'],
      [0.78, '#4d8f9c'],
      [1, '#164a66'],
    ],
    absent: 'No step up to here leaves a flow. Rivers and rain do.',
  },
  change: {
    name: 'Cut and fill',
    unit: 'm',
    diverging: true,
    ramp: [
      [0, '#7a3412'],
      [0.25, '#c08552'],
      [0.5, PALE],
      [0.75, '#6f9fae'],
      [1, '#1d4f6e'],
    ],
    absent: 'No step up to here leaves cut and fill. Weathering does.',
  },
  water: {
    name: 'Water',
    unit: 'm',
    ramp: [
      [0, PALE],
      [0.15, '#b9cdd2'],
      [0.5, '#5b93ae'],
      [1, '#143d5e'],
    ],
    absent: 'No step up to here leaves water. Rain does.',
  },
  sediment: {
    name: 'Sediment',
    unit: 'm',
    ramp: [
      [0, PALE],
      [0.15, '#d6c8a8'],
      [0.5, '#b08d4e'],
      [1, '#5e3f13'],
    ],
    absent: 'No step up to here leaves sediment. Rain, wind and snow do.',
  },
  loose: {
    name: 'Scree',
    unit: 'm',
    ramp: [
      [0, PALE],
      [0.15, '#d3cbbb'],
      [0.5, '#9d8f7a'],
      [1, '#4d4335'],
    ],
    absent: 'No step up to here leaves scree. Talus does.',
  },
  ice: {
    name: 'Ice',
    unit: 'm',
    ramp: [
      [0, PALE],
      [0.15, '#c3d9df'],
      [0.5, '#7fb0c6'],
      [1, '#2c5f86'],
    ],
    absent: 'No step up to here leaves ice. The step Ice does.',
  },
  till: {
    name: 'Till',
    unit: 'm',
    ramp: [
      [0, PALE],
      [0.15, '#d9cdb4'],
      [0.5, '#ad8f63'],
      [1, '#59401f'],
    ],
    absent: 'No step up to here leaves till. The step Ice does.',
  },
  rock: {
    name: 'Rock',
    unit: '%',
    ramp: ROCK_RAMP,
    absent: 'This terrain’s rock is alike everywhere. Give it beds with the button Rock above.',
  },
} satisfies Record<string, LayerDrape>;

export type LayerDrapeId = keyof typeof LAYER_DRAPES;

export const isLayerDrape = (id: string): id is LayerDrapeId => id in LAYER_DRAPES;

/** Values as bytes along a drape's scale, and what its ends stand for. */
export interface LayerPicture {
  drape: LayerDrapeId;
  /** Null: there is nothing to show. */
  values: Uint8Array<ArrayBuffer> | null;
  low: number;
  high: number;
  /** The step that left it; empty: the ground itself. */
  of: string;
}

/** Values that are fewer than one in so many do not stretch the scale. */
const OUTLIERS = 500;

/** Puts values on a drape's scale. Logarithmic ones begin at `least`; others at zero, and end where all but a few values lie below. */
export function pictureOfLayer(drape: LayerDrapeId, values: Float32Array, least: number): LayerPicture {
  const kind: LayerDrape = LAYER_DRAPES[drape];
  const bytes = new Uint8Array(values.length);
  let most = 0;
  for (const value of values) most = Math.max(most, Math.abs(value));
  if (kind.logarithmic) {
    const span = Math.log(Math.max(most, least * 2) / least);
    for (let i = 0; i < bytes.length; i++) bytes[i] = values[i] <= least ? 0 : Math.min(255, Math.round((255 * Math.log(values[i] / least)) / span));
    return { drape, values: bytes, low: least, high: most, of: '' };
  }
  const high = usualMost(values, most);
  for (let i = 0; i < bytes.length; i++) {
    const t = high > 0 ? Math.min(1, Math.max(-1, values[i] / high)) : 0;
    bytes[i] = Math.round(kind.diverging ? 127.5 + 127.5 * t : 255 * Math.max(0, t));
  }
  return { drape, values: bytes, low: kind.diverging ? -high : 0, high, of: '' };
}

function usualMost(values: Float32Array, most: number): number {
  if (most === 0) return 0;
  const bins = new Uint32Array(1024);
  for (const value of values) bins[Math.min(1023, Math.floor((Math.abs(value) / most) * 1024))]++;
  let beyond = 0;
  for (let b = 1023; b >= 0; b--) {
    beyond += bins[b];
    if (beyond > values.length / OUTLIERS) return ((b + 1) / 1024) * most;
  }
  return most;
}
