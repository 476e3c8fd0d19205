import { z } from 'zod';
import { UplandError } from '../errors';
import type { Ground } from '../field/ground';
import { choice, count, length, plain, toggle } from '../steps/params';
import { meshFormats } from './formats';
import type { MeshFormat } from './formats/types';

const TEXELS = { '0': 'None', '512': '512', '1024': '1024', '2048': '2048' };
const FITTED = { kind: ['adaptive', 'halved'] };
/** Vertices that 16-bit indices can tell apart, the one that restarts a strip left out. */
const SHORT_INDICES = 65_535;

/** All that a mesh of the ground is asked for: how its faces are made, where it lies, what it carries, and its file. */
export const meshSettings = z.object({
  kind: choice('grid', { grid: 'Grid', adaptive: 'Greedy', halved: 'Right-angled' }, { label: 'Made by' }),
  segments: count(256, {
    label: 'Faces across',
    help: 'Square cells; one vertex more than faces.',
    min: 1,
    max: 32_768,
    logarithmic: true,
    when: { kind: ['grid'] },
  }),
  segmentsDown: count(0, { label: 'Faces down', help: '0: as many as make square cells.', min: 0, max: 32_768, when: { kind: [] } }),
  faces: choice('triangles', { triangles: 'Triangles', quads: 'Quads' }, { label: 'Faces', when: { kind: ['grid'] } }),
  until: choice('error', { error: 'Error', count: 'Count' }, { label: 'Until', when: FITTED }),
  maxError: length(2, {
    label: 'Largest error',
    help: 'No sample of the ground is further from the mesh than this, straight up or down.',
    min: 0,
    max: 1000,
    span: [0.01, 100],
    step: 0.01,
    logarithmic: true,
    when: { ...FITTED, until: ['error'] },
  }),
  triangles: count(50_000, {
    label: 'Triangles',
    help: 'The best that so many triangles can do.',
    min: 2,
    max: 100_000_000,
    span: [2, 2_000_000],
    logarithmic: true,
    when: { ...FITTED, until: ['count'] },
  }),
  width: length(0, { label: 'Width', help: 'Of the mesh along its east; the ground’s own at first.', min: 0, max: 1e7, typed: true }),
  depth: length(0, { label: 'Depth', help: 'Of the mesh along its south; the ground’s own at first.', min: 0, max: 1e7, typed: true }),
  strength: plain(1, { label: 'Strength', help: 'Multiplies the heights above the zero.', min: 1e-6, max: 1e6, span: [0.01, 10], logarithmic: true }),
  zero: length(0, { label: 'Zero height', help: 'The elevation that lies at height 0 of the mesh.', min: -20_000, max: 20_000, typed: true }),
  base: length(0, { label: 'Base', help: 'Where the zero height comes to lie.', min: -1e5, max: 1e5, typed: true }),
  scale: plain(1, {
    label: 'Units a metre',
    help: 'How many units of the mesh a metre of the ground becomes.',
    min: 1e-6,
    max: 1e6,
    step: 0.0001,
    typed: true,
  }),
  up: choice('y', { y: 'Y', z: 'Z' }, { label: 'Up' }),
  handed: choice(
    'right',
    { right: 'Right-handed', left: 'Left-handed' },
    { label: 'Axes', help: 'Left-handed axes mirror the mesh for receivers that count so; it looks the same there.' },
  ),
  pivot: choice(
    'centre',
    { centre: 'Middle', corner: 'Corner', ground: 'Ground' },
    { label: 'Origin', help: 'Corner: everything counts up from 0. On the ground: the middle of the ground lies at 0.' },
  ),
  normals: choice(
    'exact',
    { exact: 'Exact', smooth: 'Smooth', flat: 'Flat', none: 'None' },
    { label: 'Normals', help: 'Exact: those of the full ground, however few faces there are.' },
  ),
  uvs: choice('whole', { whole: 'Whole', part: 'Part', metres: 'Metres', none: 'None' }, { label: 'UVs' }),
  edge: choice(
    'open',
    { open: 'Open', skirt: 'Skirt', closed: 'Closed below' },
    { label: 'Edges', help: 'A skirt hides cracks beside coarser neighbours; closed below is a solid for printing.' },
  ),
  edgeLength: length(20, {
    label: 'Length of the edge',
    help: 'How far a skirt hangs, or the underside lies beneath the lowest point.',
    min: 0.01,
    max: 1e5,
    typed: true,
    when: { edge: ['skirt', 'closed'] },
  }),
  water: toggle(false, { label: 'Water as a plane of its own', when: { format: idsOf((f) => f.textured) } }),
  colours: toggle(false, { label: 'Ground colour in the vertices', when: { format: idsOf((f) => f.colours) } }),
  colourMap: count(0, {
    label: 'Colour map',
    help: 'The ground’s colour, worked out at this many texels a side; in a GLB inside the file.',
    min: 0,
    max: 16_384,
    choices: TEXELS,
    when: { format: idsOf((f) => f.textured) },
  }),
  normalMap: count(0, {
    label: 'Normal map',
    help: 'The full ground’s normals for this lighter mesh, in its own tangent space.',
    min: 0,
    max: 16_384,
    choices: TEXELS,
  }),
  parts: choice('one', { one: 'One', count: 'Count', limit: 'By vertices' }, { label: 'Parts' }),
  partsAcross: count(2, { label: 'Parts across', min: 1, max: 64, typed: true, when: { parts: ['count'] } }),
  partsDown: count(2, {
    label: 'Parts down',
    help: 'Neighbours have the same corners and the same normals on their border.',
    min: 1,
    max: 64,
    typed: true,
    when: { parts: ['count'] },
  }),
  partVertices: count(SHORT_INDICES, {
    label: 'Vertices a part',
    help: '65 535 for receivers that count faces in 16 bits.',
    min: 4,
    max: 1e7,
    typed: true,
    when: { parts: ['limit'] },
  }),
  levels: count(0, {
    label: 'Lighter levels',
    help: 'Each with half the triangles of the one before, borders kept, so that any level meets any other.',
    min: 0,
    max: 8,
    choices: { '0': 'None', '1': '1', '2': '2', '3': '3', '4': '4' },
    when: { faces: ['triangles'] },
  }),
  format: choice('glb', Object.fromEntries(meshFormats.map((f) => [f.id, f.title])), { label: 'Format' }),
  packed: toggle(false, {
    label: 'Packed',
    help: 'EXT_meshopt_compression: smaller, and the same mesh. Its reader has to know it.',
    when: { format: idsOf((f) => f.options.includes('packed')) },
  }),
  quantised: toggle(false, {
    label: '16-bit places',
    help: 'KHR_mesh_quantization: about half the bytes; what it costs is measured.',
    when: { format: idsOf((f) => f.options.includes('quantised')) },
  }),
});

export type MeshSettings = z.output<typeof meshSettings>;

function idsOf(has: (format: MeshFormat) => boolean): string[] {
  return meshFormats.filter(has).map((f) => f.id);
}

/** The format that is asked for. */
export const meshFormatOf = ({ format }: Pick<MeshSettings, 'format'>): MeshFormat => meshFormats.find((f) => f.id === format)!;

/** Faces along the longer axis where every sample is a vertex. */
export const ownSegments = ({ across, registration }: Ground): number => Math.max(1, across - (registration === 'point' ? 1 : 0));

/** What a mesh of this ground begins with: its own width and depth, and 256 faces across or as many as it has. */
export const meshSettingsFor = (ground: Ground): MeshSettings => ({
  ...meshSettings.parse({}),
  width: ground.width,
  depth: ground.depth,
  segments: Math.min(256, ownSegments(ground)),
});

/**
 * The settings after a change, with what cannot stand beside it any more put right: the change is what was meant.
 * (Quads have no lighter levels; a normal map wants exact normals, whole UVs and no underside; a format brings its axes.)
 */
export function changeMeshSettings(before: MeshSettings, change: Partial<MeshSettings>): MeshSettings {
  const now = { ...before, ...change };
  if (change.kind && change.kind !== 'grid') now.faces = 'triangles';
  if (change.kind && change.kind !== 'grid' && now.parts === 'limit') now.parts = 'count';
  if (change.faces === 'quads') now.levels = 0;
  if (now.kind === 'adaptive' && now.parts !== 'one' && now.until === 'count') {
    if (change.until === 'count') now.parts = 'one';
    else now.until = 'error';
  }
  if (change.normals && change.normals !== 'exact') now.normalMap = 0;
  if (change.uvs && change.uvs !== 'whole') [now.normalMap, now.colourMap] = [0, 0];
  if (change.edge === 'closed') now.normalMap = 0;
  if (change.colourMap) now.uvs = 'whole';
  if (change.normalMap) {
    [now.uvs, now.normals] = ['whole', 'exact'];
    if (now.edge === 'closed') now.edge = 'open';
  }
  if (change.format) {
    const { axes } = meshFormatOf(now);
    if (axes) [now.up, now.handed] = [axes.up, axes.handed];
  }
  return now;
}

/** Refuses with a sentence what cannot be together, where settings come from elsewhere than a panel. */
export function checkMeshSettings(settings: MeshSettings): void {
  const { kind, faces, levels, normals, uvs, edge, normalMap, water, packed, quantised, parts, until } = settings;
  const format = meshFormatOf(settings);
  if (faces === 'quads' && kind !== 'grid') throw new UplandError('quads', 'Triangles of different sizes cannot be quads: only a regular grid can have them.');
  if (faces === 'quads' && levels > 0) throw new UplandError('quads', 'Levels of detail are made out of triangles.');
  if (parts !== 'one' && kind === 'adaptive' && until === 'count')
    throw new UplandError('parts', 'In parts, a mesh is asked for by its error, not by its count.');
  // A map is made for one frame and one place on the mesh.
  if (normalMap > 0 && (normals !== 'exact' || uvs !== 'whole' || edge === 'closed'))
    throw new UplandError('normal-map', 'A normal map goes with exact normals and UVs over the whole of an open mesh.');
  if (water && !format.textured)
    throw new UplandError('water', `${format.title} holds one mesh, and the water is one of its own. Write GLB or OBJ, or leave the water out.`);
  if ((packed || quantised) && !format.options.length) throw new UplandError('glb', 'Only GLB and glTF are packed or quantised.');
}
