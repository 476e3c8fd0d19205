import type { Preset } from '../step';

/** Kinds of ground to begin from; sizes in metres. */
export const noisePresets: readonly Preset[] = [
  { name: 'Rolling down', params: { kind: 'fbm', feature: 3200, height: 260, octaves: 8, gain: 0.4 } },
  { name: 'Broken fell', params: { kind: 'fbm', feature: 2200, height: 480, octaves: 10, gain: 0.52, warp: 240, warpFeature: 1400 } },
  { name: 'Sharp crests', params: { kind: 'ridged', feature: 3600, height: 900, octaves: 9, gain: 0.46 } },
  { name: 'Winding crests', params: { kind: 'ridged', feature: 2800, height: 700, octaves: 8, gain: 0.44, warp: 520, warpFeature: 2400 } },
  { name: 'Hummocks', params: { kind: 'billow', feature: 420, height: 28, octaves: 5, gain: 0.45 } },
  { name: 'Drumlins', params: { kind: 'billow', basis: 'simplex', feature: 900, height: 60, octaves: 4, gain: 0.35, warp: 120, warpFeature: 700 } },
  { name: 'Peaks over plains', params: { kind: 'hybrid', feature: 4200, height: 1400, octaves: 9, gain: 0.5 } },
  { name: 'Tilted slabs', params: { kind: 'fbm', basis: 'cellular', cell: 'nearest', feature: 1300, height: 300, octaves: 3, gain: 0.3 } },
  {
    name: 'Cracked floor',
    params: { kind: 'fbm', basis: 'cellular', cell: 'border', feature: 260, height: 14, octaves: 2, gain: 0.3, warp: 40, warpFeature: 200 },
  },
  { name: 'Karst', params: { kind: 'ridged', basis: 'cellular', cell: 'second', feature: 700, height: 160, octaves: 5, gain: 0.42 } },
  { name: 'Crossing valleys', params: { kind: 'crossed', feature: 2600, height: 420, octaves: 9, gain: 0.46, crossings: 1 } },
  { name: 'Maze of hollows', params: { kind: 'crossed', feature: 1500, height: 260, octaves: 8, gain: 0.45, crossings: 3, warp: 150, warpFeature: 900 } },
  { name: 'Fine grit', params: { kind: 'fbm', basis: 'simplex', feature: 60, height: 3, octaves: 6, gain: 0.55 } },
];
