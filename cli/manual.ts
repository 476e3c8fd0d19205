/** What is said of a command beside its options: the trade's other words for it, and calls that work. */
export interface Entry {
  finds: readonly string[];
  /** What it is for, and the words after `upland-cast`. Run as they stand, in this order, by the tests. */
  examples: readonly (readonly [string, string])[];
}

export const MANUAL: Readonly<Record<string, Entry>> = {
  inspect: {
    finds: ['info', 'identify', 'check', 'validate', 'metadata', 'header', 'statistics', 'range', 'bit depth', 'analyse'],
    examples: [
      ['what a file holds, and what is wrong with it', 'inspect survey.tif'],
      ['raw bytes whose layout is known', 'inspect fell.raw --as raw:u16:le:129x129 --json'],
    ],
  },
  convert: {
    finds: ['export', 'translate', 'resample', 'resize', 'scale', 'remap', 'normalize', 'flip', 'rotate', 'mirror', 'bit depth', 'raw', 'png', 'tiff', 'exr'],
    examples: [
      ['a survey to 16 bits, whose ends stand for known metres', 'convert survey.tif fell.png --depth 16 --out-range 0:1000'],
      ['another count of samples, by a named filter', 'convert survey.tif small.tif --size 65x65 --filter average'],
      ['an 8-bit picture read on a range and mended before it is kept', 'convert old.png mended.tif --range 0:300 --spacing 4'],
    ],
  },
  apply: {
    finds: ['erode', 'erosion', 'hydraulic', 'thermal', 'blur', 'terrace', 'filter', 'offset', 'gain', 'contrast', 'effect', 'weather', 'smooth'],
    examples: [
      ['one step, with a setting of its own', 'apply survey.tif soft.tif --step blur --set size=40'],
      ['a weather step, with the layer that it leaves', 'apply survey.tif scree.tif --step talus --set sweeps=20 --layer loose=loose.tif'],
    ],
  },
  derive: {
    finds: ['slope map', 'normal map', 'hillshade', 'ambient occlusion', 'curvature', 'aspect', 'flow map', 'roughness', 'mask', 'streams', 'bake'],
    examples: [
      ['slopes in degrees', 'derive survey.tif slope.tif --map slope'],
      ['a normal map for a material', 'derive survey.tif normals.png --map normal'],
      ['streams as lines', 'derive survey.tif streams.geojson --map streams'],
    ],
  },
  run: {
    finds: ['generate', 'build', 'evaluate', 'render', 'erosion', 'procedural', 'seed', 'batch'],
    examples: [
      ['a starting course', 'run start:downland downland.tif --samples 129'],
      ['another ground of the same kind', 'run start:downland other.tif --samples 129 --roll 7'],
    ],
  },
  order: {
    finds: ['export', 'batch', 'deliver', 'package', 'build', 'tiles', 'splat map', 'weight map', 'engine'],
    examples: [
      ['what a terrain can be handed on to', 'order start:downland --list'],
      ['to a receiver, with maps and docket', 'order start:downland out --receiver power-of-two-plus-one --samples 129'],
    ],
  },
  mesh: {
    finds: ['displace', 'triangulate', 'decimate', 'simplify', 'lod', 'obj', 'gltf', 'glb', 'ply', 'stl', '3d print', 'tin', 'polygon'],
    examples: [
      ['as few triangles as keep every sample within half a metre', 'mesh survey.tif fell.glb --max-error 0.5'],
      ['a closed body for printing', 'mesh survey.tif fell.stl --segments 64x64 --closed 20'],
    ],
  },
  press: {
    finds: ['rasterize', 'bake', 'voxelize', 'mesh to heightmap', 'scan', 'photogrammetry', 'project', 'depth map'],
    examples: [['a mesh, seen from straight above', 'press fell.glb pressed.tif --size 129x129']],
  },
  compare: {
    finds: ['diff', 'difference', 'verify', 'deviation', 'error', 'match', 'rmse', 'align'],
    examples: [
      ['how far a mesh is from what it was made of', 'compare survey.tif fell.glb'],
      ['within a tolerance, or it ends with 1', 'compare survey.tif fell.png --b-range 0:1000 --tolerance 0.05'],
      ['what turn, flip or shift is between two files, and the rest as heights', 'compare survey.tif soft.tif --fit --difference rest.tif'],
    ],
  },
  measure: {
    finds: ['statistics', 'quality', 'slope histogram', 'spectrum', 'hypsometry', 'artefacts', 'isotropy'],
    examples: [['whether a file is like real ground', 'measure survey.tif']],
  },
  world: {
    finds: ['tiles', 'open world', 'huge', 'large', 'tiled', 'build farm', 'distributed', 'batch', 'landscape', 'vrt', 'mosaic'],
    examples: [
      ['a ground in tiles, with one raster over them', 'world start:downland big --samples 257 --tile 128'],
      ['what was begun is gone on with; what is done stays done', 'world start:downland big --samples 257 --tile 128 --resume'],
    ],
  },
  worker: {
    finds: ['farm', 'node', 'queue', 'distributed', 'redis', 'render farm'],
    examples: [['takes tiles from a queue until it is ended', 'worker --queue redis://127.0.0.1:6379']],
  },
  'world-status': {
    finds: ['progress', 'how far', 'done', 'left', 'queue'],
    examples: [['how far it is, every tile read and held against its note', 'world-status big --check']],
  },
  starts: { finds: ['presets', 'templates', 'examples', 'biomes'], examples: [['the starting courses', 'starts']] },
  steps: { finds: ['nodes', 'filters', 'effects', 'operators', 'settings', 'parameters', 'reference'], examples: [['every step with its settings', 'steps']] },
  completion: { finds: ['autocomplete', 'tab', 'bash', 'zsh', 'fish', 'powershell'], examples: [['for the shell in use', 'completion bash']] },
};

/** The commands whose name, or whose other words, begin with what was typed or hold it as a word. */
export function commandsFor(typed: string): string[] {
  const wanted = typed.toLowerCase();
  const fits = (word: string) => word.split(' ').some((part) => part.startsWith(wanted) || (part.length > 3 && wanted.startsWith(part)));
  return Object.entries(MANUAL)
    .filter(([name, { finds }]) => [name, ...finds].some(fits))
    .map(([name]) => name);
}
