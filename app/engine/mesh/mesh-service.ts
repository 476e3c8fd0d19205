import {
  adaptiveSurface,
  axesRefused,
  bakeNormals,
  boundsOf,
  bundle,
  defaultCover,
  displacementRatio,
  encodeImage,
  evaluate,
  exportMesh,
  faceCount,
  gridSurface,
  groundColour,
  memoryOfMesh,
  mergeMeshes,
  meshFormatOf,
  modelError,
  modelOf,
  modelOptionsOf,
  simplifiedSurface,
  squareSegments,
  statistics,
  surfaceOf,
  triangleCount,
  triangleIndices,
  vertexCount,
  type Field,
  type Mesh,
  type MeshError,
  type MeshFile,
  type MeshSettings,
  type MeshSurface,
  type Model,
  type ModelOptions,
} from '@upland-cast/core';
import type { MeshPicture, Pixels } from '../../drawing/pictures';
import type { MeshCurve, MeshFacts, MeshPreview, WrittenMesh } from '../api';
import { coverOptions } from '../export/export-service';
import { turn, type MeshWork } from './work';

/** Triangles that are drawn at the most; what is written may have many more. */
const MOST_DRAWN = 90_000;
/** Faces across of the grid that stands for one with more of them. */
const DRAWN_ACROSS = 192;
/** Samples a side of the pictures that are laid over the mesh. */
const DRAPE = 512;

function factsOf(model: Model, field: Field, error: MeshError, settings: MeshSettings): MeshFacts {
  const all = model.parts.map((p) => p.mesh);
  const sum = (of: (mesh: Mesh) => number) => all.reduce((n, m) => n + of(m), 0);
  const [vertices, triangles] = [sum(vertexCount), sum(triangleCount)];
  return {
    vertices,
    faces: sum(faceCount),
    triangles,
    parts: model.parts.filter((p) => p.kind === 'ground').length,
    largestPart: Math.max(...all.map(vertexCount)),
    bounds: boundsOf(mergeMeshes(all.map(({ positions, up }) => ({ positions, indices: new Uint32Array(0), corners: 3 as const, up }))).positions),
    maxError: error.maxError,
    rmse: error.rmse,
    ratio: displacementRatio(field),
    memory: memoryOfMesh(vertices, triangles, settings),
  };
}

/** The mesh as it will be, measured whole, and drawn no denser than a screen can show. */
export async function preview({ tools: { kernels }, field, signal }: MeshWork, settings: MeshSettings): Promise<MeshPreview> {
  const { surface, split } = await surfaceOf(field, settings, { kernels, signal });
  const options = modelOptionsOf(settings);
  const model = modelOf(field, surface, 'preview', { ...options, water: false });
  const error = await modelError(model, field, kernels, signal);
  const facts = factsOf(modelWithWater(model, field, surface, options), field, error, settings);
  let shown = surface;
  let words = '';
  if (surface.faces.length / surface.corners > MOST_DRAWN) {
    shown =
      settings.kind === 'grid'
        ? gridSurface(field, squareSegments(field, Math.min(DRAWN_ACROSS, settings.segments)), 'triangles')
        : (await adaptiveSurface(kernels, field, { maxError: 0, triangles: MOST_DRAWN / 2, signal })).surface;
    words = `Drawn with ${(shown.faces.length / shown.corners).toLocaleString('en-GB').replaceAll(',', ' ')} triangles; ${facts.triangles.toLocaleString('en-GB').replaceAll(',', ' ')} will be written.`;
  }
  return {
    facts,
    split,
    words,
    refused: axesRefused(meshFormatOf(settings), model.frame),
    picture: drawn(field, shown, options),
    high: drawn(field, gridSurface(field, squareSegments(field, DRAWN_ACROSS)), options),
    error: errorPixels(field, error.off),
    largest: error.maxError,
    normal: lowNormals(field, shown, options),
  };
}

/** Counts have to know of the water too. */
function modelWithWater(model: Model, field: Field, surface: MeshSurface, options: ModelOptions): Model {
  if (!options.water) return model;
  return statistics(field).lowest < field.ground.sea ? modelOf(field, surface, 'preview', options) : model;
}

/** A surface to draw: y up, metres, whatever it will be written as. */
function drawn(field: Field, surface: MeshSurface, { strength, extent, skirt, closed }: ModelOptions): MeshPicture {
  const model = modelOf(field, surface, 'drawn', { strength, extent, skirt, closed, normals: 'exact', tangents: true });
  const mesh = mergeMeshes(model.parts.map((p) => p.mesh));
  return {
    positions: mesh.positions,
    indices: triangleIndices(mesh),
    up: 'y',
    normals: mesh.normals,
    uvs: mesh.uvs,
    tangents: mesh.tangents,
    quads: surface.corners === 4 ? mesh.indices : undefined,
  };
}

/** The full ground's normals for the mesh that is drawn. */
function lowNormals(field: Field, surface: MeshSurface, { strength, extent }: ModelOptions): Pixels {
  const { samples } = bakeNormals(field, surface, { width: DRAPE, height: DRAPE, strength, extent });
  const pixels = new Uint8ClampedArray(4 * DRAPE * DRAPE);
  for (let i = 0; i < DRAPE * DRAPE; i++) {
    for (let c = 0; c < 3; c++) pixels[4 * i + c] = samples[3 * i + c];
    pixels[4 * i + 3] = 255;
  }
  return { width: DRAPE, height: DRAPE, pixels };
}

/** Errors as colours: above the ground red, below it blue, by the largest there is; the largest of the samples that a pixel covers. */
function errorPixels({ ground: { across, down } }: Field, off: Float32Array): Pixels {
  const [width, height] = [Math.min(DRAPE, across), Math.min(DRAPE, down)];
  const most = new Float32Array(width * height);
  for (let row = 0; row < down; row++) {
    const y = Math.floor((row * height) / down);
    for (let column = 0; column < across; column++) {
      const at = y * width + Math.floor((column * width) / across);
      const by = off[row * across + column];
      if (Math.abs(by) > Math.abs(most[at])) most[at] = by;
    }
  }
  let largest = 1e-9;
  for (const by of most) largest = Math.max(largest, Math.abs(by));
  const pixels = new Uint8ClampedArray(4 * most.length);
  for (let i = 0; i < most.length; i++) {
    // The root brings out where errors are small.
    const t = Math.sqrt(Math.abs(most[i]) / largest);
    const towards = most[i] > 0 ? [176, 42, 28] : [28, 78, 150];
    const from = [236, 232, 222];
    for (let c = 0; c < 3; c++) pixels[4 * i + c] = from[c] + (towards[c] - from[c]) * t;
    pixels[4 * i + 3] = 255;
  }
  return { width, height, pixels };
}

/** A PNG of the ground's colour at a count of texels, worked out there. */
async function colourTexture({ tools, course, signal }: MeshWork, texels: number): Promise<Uint8Array<ArrayBuffer>> {
  const options = coverOptions(tools, signal);
  const ground = { ...course.ground, across: texels, down: texels, registration: 'area' as const };
  const evaluation = await evaluate({ ...course, ground }, options);
  const samples = await groundColour(course, evaluation, course.cover ?? defaultCover(), options);
  return encodeImage({ width: texels, height: texels, channels: 3, samples });
}

/** Writes the mesh: its files, each measured as it was read back; levels of detail beside it. */
export async function write(work: MeshWork, settings: MeshSettings, name: string): Promise<WrittenMesh> {
  const { field, course, tools, signal, onWork } = work;
  const cover = course.cover ?? defaultCover();
  const colours = settings.colours
    ? await groundColour(course, await evaluate(course, coverOptions(tools, signal)), cover, coverOptions(tools, signal))
    : undefined;
  const colourMap = settings.colourMap > 0 && meshFormatOf(settings).textured ? await colourTexture(work, settings.colourMap) : undefined;
  const files: MeshFile[] = [];
  const levels: WrittenMesh['levels'] = [];
  let facts: MeshFacts | undefined;
  let error: Pixels | undefined;
  for await (const one of exportMesh(field, settings, { kernels: tools.kernels, name, signal, progress: onWork, colours, colourMap })) {
    const { vertices, faces, triangles, bytes } = one;
    if (one.level === 0) {
      facts = { ...factsOf(one.model, field, one.error, settings), vertices, faces, triangles, bytes };
      error = errorPixels(field, one.error.off);
    }
    const { maxError, rmse } = one.error;
    levels.push({ name: one.files[0].name, triangles, bytes, maxError, rmse, distance: one.switchDistance });
    files.push(...one.files);
  }
  const given = files.map(({ name: called, bytes }) => ({ name: called, bytes }));
  if (files.length === 1)
    return { name: files[0].name, mediaType: files[0].mediaType, bytes: files[0].bytes, mesh: given, facts: facts!, levels, error: error! };
  const pieces: Uint8Array<ArrayBuffer>[] = [];
  await bundle(given, (piece) => void pieces.push(piece));
  const bytes = new Uint8Array(await new Blob(pieces).arrayBuffer());
  // The mesh alone, for pressing it again: what the first level is made of.
  const first = given.filter((f) => !/-level-\d+\./.test(f.name) && !/\.png$/.test(f.name));
  return {
    name: `${name}.zip`,
    mediaType: 'application/zip',
    bytes,
    mesh: first.map((f) => ({ ...f, bytes: f.bytes.slice() })),
    facts: facts!,
    levels,
    error: error!,
  };
}

/** Error against triangles for every way of making them, each measured by pressing, so that the knee can be picked. */
export async function curve(work: MeshWork): Promise<MeshCurve> {
  const { tools, field, signal, onWork } = work;
  const measured = async (surface: MeshSurface): Promise<[number, number]> => {
    const model = modelOf(field, surface, 'c', { normals: 'none', uvs: 'none' });
    return [surface.faces.length / 3, (await modelError(model, field, tools.kernels, signal)).maxError];
  };
  const most = Math.max(field.ground.across, field.ground.down) - 1;
  const grid: [number, number][] = [];
  for (let across = 8; across <= Math.min(1024, most); across *= 2) {
    await turn(signal);
    onWork('Measuring grids', grid.length / 20);
    grid.push(await measured(gridSurface(field, squareSegments(field, across))));
  }
  const { lowest, highest } = statistics(field);
  onWork('Measuring greedy insertion', 0.4);
  const greedy = await adaptiveSurface(tools.kernels, field, { maxError: Math.max(1e-3, (highest - lowest) / 2000), triangles: 600_000, signal });
  const simplified: [number, number][] = [];
  let level = gridSurface(field, squareSegments(field, Math.min(512, most)));
  for (let k = 0; k < 8; k++) {
    await turn(signal);
    onWork('Measuring simplified levels', 0.6 + k / 20);
    level = await simplifiedSurface(field.ground, level, 0.5);
    simplified.unshift(await measured(level));
    if (level.faces.length / 3 < 600) break;
  }
  return { grid, adaptive: greedy.course.filter(([n, e]) => n >= 50 && e > 0), simplified };
}
