import {
  adaptiveSurface,
  bakeNormals,
  boundsOf,
  bundle,
  displacementRatio,
  encode,
  encodeImage,
  enclosedHoles,
  evaluate,
  faceCount,
  fillVoids,
  gridMesh,
  gridSurface,
  groundColour,
  compareMeshToFieldOnKernels,
  mergeMeshes,
  makeField,
  meshFormats,
  modelOf,
  rasterizeMeshOnKernels,
  readMeshFiles,
  simplifiedSurface,
  spacingOf,
  statistics,
  buildSurface,
  switchDistance,
  throwIfStopped,
  triangleCount,
  triangleIndices,
  UplandError,
  defaultCover,
  vertexCount,
  axesRefused,
  writeModel,
  type Bounds,
  type Course,
  type Field,
  type MeshError,
  type Mesh,
  type MeshFile,
  type MeshSurface,
  type Model,
  type ModelOptions,
} from '@upland-cast/core';
import { keepAsset } from '../../storage/assets';
import { coverOptions, type Tools } from '../export/export-service';
import type { MeshPicture, Pixels } from '../../drawing/pictures';
import type { Extent, MeshCurve, MeshFacts, MeshPreview, MeshSpec, PressRequest, PressResult, WrittenMesh } from '../api';
import { reliefPixels } from '../../drawing/relief';

/** Triangles that are drawn at the most; what is written may have many more. */
const MOST_DRAWN = 90_000;
/** Faces across of the grid that stands for one with more of them. */
const DRAWN_ACROSS = 192;
/** Samples a side of the pictures that are laid over the mesh. */
const DRAPE = 512;

interface Work {
  tools: Tools;
  course: Course;
  field: Field;
  signal: AbortSignal;
  /** What is done, and the share of the whole that is behind it. */
  onWork: (words: string, share: number) => void;
}

/** Lets a wish to stop be heard between two pieces of work. */
async function turn(signal: AbortSignal): Promise<void> {
  await new Promise((resolve) => setTimeout(resolve));
  throwIfStopped(signal);
}

/** Faces across and down in square cells. */
const segmentsOf = ({ ground }: Field, across: number) => ({ x: across, y: Math.max(1, Math.round((across * ground.depth) / ground.width)) });

/** Faces of a grid; at the ground's own density none are named, so that every sample is a vertex. */
const ownSegments = (field: Field, across: number) => {
  const { ground } = field;
  const own = ground.registration === 'area' && across >= ground.across;
  return own ? undefined : segmentsOf(field, across);
};

/** How many parts, across and down, a specification comes to for faces that are already known. */
function splitFor(field: Field, spec: MeshSpec): { across: number; down: number } {
  const { parts } = spec;
  if (parts.by === 'one') return { across: 1, down: 1 };
  if (parts.by === 'count') return { across: parts.across, down: parts.down };
  if (spec.kind !== 'grid') return { across: 1, down: 1 };
  const { x, y } = segmentsOf(field, spec.segments);
  for (let count = 1; count <= Math.min(x, y); count++) {
    if ((Math.ceil(x / count) + 1) * (Math.ceil(y / count) + 1) <= parts.limit) return { across: count, down: count };
  }
  return { across: x, down: y };
}

async function surfaceFor({ tools, field, signal }: Work, spec: MeshSpec): Promise<{ surface: MeshSurface; split: { across: number; down: number } }> {
  const { kind, by, faces } = spec;
  const split = splitFor(field, spec);
  const wanted = by === 'error' ? { maxError: spec.maxError } : { triangles: spec.triangles };
  const made = (parts: { across: number; down: number }) =>
    buildSurface(tools.kernels, field, { kind, faces, segments: ownSegments(field, spec.segments), ...wanted, split: parts, signal });
  if (kind === 'grid') return { surface: await made(split), split };
  if (spec.parts.by !== 'limit') return { surface: await made(split), split };
  if (by === 'count' && kind === 'adaptive') throw new UplandError('parts', 'In parts, a mesh is asked for by its error, not by its count.');
  // As many parts as it takes, a little more each time.
  for (let count = 1; count <= 64; count = kind === 'halved' ? 2 * count : count + Math.max(1, Math.floor(count / 3))) {
    await turn(signal);
    const surface = await made({ across: count, down: count });
    if (largestPart(surface) <= spec.parts.limit) return { surface, split: { across: count, down: count } };
  }
  throw new UplandError('parts', `Even 64 × 64 parts have more than ${spec.parts.limit} vertices each. Allow more, or a larger error.`);
}

/** Vertices of the part with the most. */
function largestPart({ parts, faces, height }: MeshSurface): number {
  const seen = new Int32Array(height.length).fill(-1);
  let most = 0;
  for (const [k, { from, to }] of parts.entries()) {
    let count = 0;
    for (let i = from; i < to; i++) {
      if (seen[faces[i]] === k) continue;
      seen[faces[i]] = k;
      count++;
    }
    most = Math.max(most, count);
  }
  return most;
}

function dressingOf(spec: MeshSpec, colours?: Uint8Array): ModelOptions {
  const { extent, strength, zero, base, scale, up, handed, pivot, normals, uvs, edge, edgeLength, water } = spec;
  return {
    extent,
    strength,
    zero,
    base,
    scale,
    up,
    handed,
    pivot,
    normals,
    uvs,
    // Only these hold a mesh of its own beside the ground's.
    water: water && meshFormats.find((f) => f.id === spec.format)!.textured,
    colours,
    skirt: edge === 'skirt' ? edgeLength : 0,
    closed: edge === 'closed' ? edgeLength : undefined,
    tangents: spec.normalMap > 0,
  };
}

/** Bytes that making and writing a mesh holds at the most, roughly: what lies in memory at once, by what it is made of. */
export function memoryOf(vertices: number, triangles: number, spec: MeshSpec): number {
  const each = 12 + (spec.normals === 'none' ? 0 : 12) + (spec.uvs === 'none' ? 0 : 8) + (spec.colours ? 3 : 0) + (spec.normalMap ? 16 : 0);
  const shared = spec.normals === 'flat' ? 3 * triangles : vertices;
  const text = spec.format === 'obj' ? 110 * vertices + 45 * triangles : 0;
  // The surface, the mesh, the file, and the file read back.
  return 20 * vertices + 12 * triangles + 3 * (each * shared + 12 * triangles) + 2 * text;
}

function factsOf(model: Model, field: Field, held: MeshError, spec: MeshSpec): MeshFacts {
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
    maxError: held.maxError,
    rmse: held.rmse,
    ratio: displacementRatio(field),
    memory: memoryOf(vertices, triangles, spec),
  };
}

/** The ground of a model held against the field; its water, walls and underside lie below. */
const heldOf = (model: Model, { tools, field, signal }: Work) =>
  compareMeshToFieldOnKernels(tools.kernels, mergeMeshes(model.parts.filter((p) => p.kind === 'ground').map((p) => p.mesh)), field, model.frame, signal);

/** The mesh as it will be, measured whole, and drawn no denser than a screen can show. */
export async function preview(work: Work, spec: MeshSpec): Promise<MeshPreview> {
  const { field, signal } = work;
  const format = meshFormats.find((f) => f.id === spec.format)!;
  const { surface, split } = await surfaceFor(work, spec);
  const model = modelOf(field, surface, 'preview', { ...dressingOf(spec), water: false });
  const held = await heldOf(model, work);
  const facts = factsOf(modelWithWater(model, field, surface, spec), field, held, spec);
  let shown = surface;
  let words = '';
  if (surface.faces.length / surface.corners > MOST_DRAWN) {
    shown =
      spec.kind === 'grid'
        ? gridSurface(field, segmentsOf(field, Math.min(DRAWN_ACROSS, spec.segments)), 'triangles')
        : (await adaptiveSurface(work.tools.kernels, field, { maxError: 0, triangles: MOST_DRAWN / 2, signal })).surface;
    words = `Drawn with ${(shown.faces.length / shown.corners).toLocaleString('en-GB').replaceAll(',', ' ')} triangles; ${facts.triangles.toLocaleString('en-GB').replaceAll(',', ' ')} will be written.`;
  }
  const refused = axesRefused(format, model.frame);
  return {
    facts,
    split,
    words,
    refused,
    picture: drawn(field, shown, spec),
    high: drawn(field, gridSurface(field, segmentsOf(field, DRAWN_ACROSS)), spec),
    error: errorPixels(field, held.off),
    largest: held.maxError,
    normal: lowNormals(field, shown, spec),
  };
}

/** Counts have to know of the water too. */
function modelWithWater(model: Model, field: Field, surface: MeshSurface, spec: MeshSpec): Model {
  if (!spec.water) return model;
  return statistics(field).lowest < field.ground.sea ? modelOf(field, surface, 'preview', dressingOf(spec)) : model;
}

/** A surface to draw: y up, metres, whatever it will be written as. */
function drawn(field: Field, surface: MeshSurface, spec: MeshSpec): MeshPicture {
  const { strength, extent } = spec;
  const closed = spec.edge === 'closed' ? spec.edgeLength : undefined;
  const model = modelOf(field, surface, 'drawn', {
    strength,
    extent,
    skirt: spec.edge === 'skirt' ? spec.edgeLength : 0,
    closed,
    normals: 'exact',
    tangents: true,
  });
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
function lowNormals(field: Field, surface: MeshSurface, spec: MeshSpec): Pixels {
  const { samples } = bakeNormals(field, surface, { width: DRAPE, height: DRAPE, strength: spec.strength, extent: spec.extent });
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
async function colourTexture({ tools, course, signal }: Work, texels: number): Promise<Uint8Array<ArrayBuffer>> {
  const options = coverOptions(tools, signal);
  const ground = { ...course.ground, across: texels, down: texels, registration: 'area' as const };
  const evaluation = await evaluate({ ...course, ground }, options);
  const samples = await groundColour(course, evaluation, course.cover ?? defaultCover(), options);
  return encodeImage({ width: texels, height: texels, channels: 3, samples }, 3);
}

/** Writes the mesh: its files, each measured as it was read back; levels of detail beside it. */
export async function write(work: Work, spec: MeshSpec, name: string): Promise<WrittenMesh> {
  const { field, course, tools, signal, onWork } = work;
  const format = meshFormats.find((f) => f.id === spec.format)!;
  onWork('Making the faces', 0);
  const { surface } = await surfaceFor(work, spec);
  // The first level has half of all the triangles.
  const begun = (level: number, words: string, part: number) => onWork(words, 0.3 + 0.7 * (1 - 0.5 ** level + 0.5 ** (level + 1) * part));
  const cover = course.cover ?? defaultCover();
  const colours = spec.colours
    ? await groundColour(course, await evaluate(course, coverOptions(tools, signal)), cover, coverOptions(tools, signal))
    : undefined;
  const inside = format.textured;
  const colour = spec.colourMap > 0 && inside ? await colourTexture(work, spec.colourMap) : undefined;
  const files: MeshFile[] = [];
  const levels: WrittenMesh['levels'] = [];
  let facts: MeshFacts | undefined;
  let error: Pixels | undefined;
  for (let level = 0; level <= spec.levels; level++) {
    begun(level, level === 0 ? 'Laying out the mesh' : `Level ${level}`, 0);
    await turn(signal);
    const lighter = level === 0 ? surface : await simplifiedSurface(field.ground, surface, 0.5 ** level);
    const own = level === 0 ? name : `${name}-level-${level}`;
    const model = modelOf(field, lighter, own, dressingOf(spec, colours));
    const baked =
      spec.normalMap > 0
        ? bakeNormals(field, lighter, { width: spec.normalMap, height: spec.normalMap, strength: spec.strength, extent: spec.extent })
        : undefined;
    const normal = baked && encodeImage({ width: spec.normalMap, height: spec.normalMap, channels: 3, samples: baked.samples }, 3);
    begun(level, 'Writing', 0.3);
    await turn(signal);
    const made = await writeModel(format, model, own, inside ? { normal, colour } : {}, { packed: spec.packed, quantised: spec.quantised });
    if (normal && !inside) made.push({ name: `${own}-normal.png`, bytes: normal, mediaType: 'image/png' });
    begun(level, 'Reading it back', 0.6);
    await turn(signal);
    const written = await readMeshFiles(made);
    begun(level, 'Holding it against the ground', 0.8);
    // The water's two triangles come last, and are not the ground.
    const waters = inside && model.parts.some((p) => p.kind === 'water') ? 6 : 0;
    const held = await compareMeshToFieldOnKernels(
      tools.kernels,
      { ...written, indices: written.indices.subarray(0, written.indices.length - waters) as Uint32Array<ArrayBuffer> },
      field,
      model.frame,
      signal,
    );
    const bytes = made.reduce((n, f) => n + f.bytes.length, 0);
    const counts = { vertices: vertexCount(written), faces: faceCount(written), triangles: triangleCount(written) };
    if (level === 0) {
      facts = { ...factsOf(model, field, held, spec), ...counts, bytes };
      error = errorPixels(field, held.off);
    }
    levels.push({
      name: made[0].name,
      triangles: counts.triangles,
      bytes,
      maxError: held.maxError,
      rmse: held.rmse,
      distance: level === 0 ? 0 : switchDistance(held.maxError),
    });
    files.push(...made);
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
export async function curve(work: Work): Promise<MeshCurve> {
  const { tools, field, signal, onWork } = work;
  const measured = async (surface: MeshSurface): Promise<[number, number]> => {
    const model = modelOf(field, surface, 'c', { normals: 'none', uvs: 'none' });
    return [surface.faces.length / 3, (await heldOf(model, work)).maxError];
  };
  const most = Math.max(field.ground.across, field.ground.down) - 1;
  const grid: [number, number][] = [];
  for (let across = 8; across <= Math.min(1024, most); across *= 2) {
    await turn(signal);
    onWork('Measuring grids', grid.length / 20);
    grid.push(await measured(gridSurface(field, segmentsOf(field, across))));
  }
  const { lowest, highest } = statistics(field);
  onWork('Measuring greedy insertion', 0.4);
  const greedy = await adaptiveSurface(tools.kernels, field, { maxError: Math.max(1e-3, (highest - lowest) / 2000), triangles: 600_000, signal });
  const simplified: [number, number][] = [];
  let level = gridSurface(field, segmentsOf(field, Math.min(512, most)));
  for (let k = 0; k < 8; k++) {
    await turn(signal);
    onWork('Measuring simplified levels', 0.6 + k / 20);
    level = await simplifiedSurface(field.ground, level, 0.5);
    simplified.unshift(await measured(level));
    if (level.faces.length / 3 < 600) break;
  }
  return { grid, adaptive: greedy.course.filter(([n, e]) => n >= 50 && e > 0), simplified };
}

/** A mesh file, or several, looked at from above. */
export async function press(work: Omit<Work, 'field'> & { field: () => Promise<Field> }, request: PressRequest): Promise<PressResult> {
  const { tools, course, field, signal, onWork } = work;
  onWork('Reading the mesh', 0);
  await turn(signal);
  const read = await readMeshFiles(request.files);
  const up = request.up ?? read.up;
  const { ground } = course;
  const plan = boundsOf(read.positions);
  const own = { width: plan.max[0] - plan.min[0], depth: up === 'y' ? plan.max[2] - plan.min[2] : plan.max[1] - plan.min[1] };
  // Aspect kept: the larger of the two sides fits.
  const scale =
    request.scale.by === 'width'
      ? request.scale.width / own.width
      : request.scale.by === 'ground'
        ? Math.min(ground.width / own.width, ground.depth / own.depth)
        : request.scale.factor;
  if (!(scale > 0 && scale < 1e9))
    throw new UplandError('mesh-scale', 'Seen from above this mesh has no width, so there is no ground in it. Is the other axis up?');
  const against = request.againstGround;
  await turn(signal);
  const pressed = await rasterizeMeshOnKernels(tools.kernels, read, {
    progress: (share) => onWork('Pressing', 0.3 + 0.5 * share),
    up,
    scale,
    smooth: request.smooth,
    signal,
    size: against ? { across: ground.across, down: ground.down } : request.across && request.down ? { across: request.across, down: request.down } : undefined,
    registration: against ? ground.registration : request.registration,
    extent: against ? { west: -ground.width / 2, east: ground.width / 2, north: -ground.depth / 2, south: ground.depth / 2 } : request.extent,
  });
  onWork('Pressing', 0.8);
  await turn(signal);
  let made = pressed.field;
  let filled = 0;
  if (request.fill !== 'none' && made.valid) {
    const { across, down } = made.ground;
    const { x, y } = spacingOf(made.ground);
    const voids = request.fill === 'inside' ? enclosedHoles(made.valid, across, down) : (made.valid.map((v) => 1 - v) as Uint8Array<ArrayBuffer>);
    for (const v of voids) filled += v;
    if (filled > 0) {
      const { height } = await fillVoids(made.height, across, down, voids, { aspect: x / y, stiffness: 'bending', signal });
      made = makeField(
        made.ground,
        height,
        made.valid.map((v, i) => v | voids[i]),
      );
    }
  }
  const { bytes } = await encode(made, { format: 'tiff', type: 'f32', options: { compression: 'deflate' } });
  const width = 420;
  const height = Math.max(40, Math.min(420, Math.round((width * made.ground.depth) / made.ground.width)));
  return {
    ground: made.ground,
    statistics: statistics(made),
    holes: pressed.holes,
    filled,
    overhangs: pressed.overhangs,
    upright: pressed.upright,
    facing: pressed.facing,
    spacing: pressed.spacing,
    size: pressed.size,
    own,
    plan: planOfMesh(plan, up, scale),
    scale,
    vertices: vertexCount(read),
    triangles: triangleCount(read),
    up,
    relief: { width, height, pixels: reliefPixels(made, width, height) },
    cover: coverPixels(pressed.field, pressed.gap, width, height),
    mesh: drawable({ ...read, up }, scale, made),
    odd: read.odd ?? [],
    difference: against ? differenceFrom(await field(), pressed.field) : undefined,
    asset: await keepAsset(bytes),
  };
}

/** The land that a mesh lies over, metres. */
function planOfMesh({ min, max }: Bounds, up: 'y' | 'z', scale: number): Extent {
  const [north, south] = up === 'y' ? [min[2], max[2]] : [-max[1], -min[1]];
  return { west: min[0] * scale, north: north * scale, east: max[0] * scale, south: south * scale };
}

/** Where the mesh covers the ground once, where it lies over itself, and where it does not cover it. */
function coverPixels({ ground: { across, down }, valid }: Field, gap: Float32Array, width: number, height: number): Uint8ClampedArray<ArrayBuffer> {
  const out = new Uint8ClampedArray(4 * width * height);
  let deepest = 1e-9;
  for (const g of gap) if (g > deepest) deepest = g;
  for (let y = 0, o = 0; y < height; y++) {
    for (let x = 0; x < width; x++, o += 4) {
      // The most telling of the samples that a pixel covers.
      let [over, hole] = [0, false];
      const [r1, c1] = [
        Math.max(Math.floor((y * down) / height) + 1, Math.floor(((y + 1) * down) / height)),
        Math.max(Math.floor((x * across) / width) + 1, Math.floor(((x + 1) * across) / width)),
      ];
      for (let r = Math.floor((y * down) / height); r < Math.min(down, r1); r++) {
        for (let c = Math.floor((x * across) / width); c < Math.min(across, c1); c++) {
          const i = r * across + c;
          over = Math.max(over, gap[i]);
          hole ||= valid ? valid[i] === 0 : false;
        }
      }
      const t = 0.45 + 0.55 * Math.min(1, over / deepest);
      const colour = hole ? [178, 44, 30] : over > 0 ? [214 - 60 * t, 168 - 90 * t, 60] : [222, 218, 206];
      for (let k = 0; k < 3; k++) out[o + k] = colour[k];
      out[o + 3] = 255;
    }
  }
  return out;
}

function differenceFrom(whole: Field, made: Field): PressResult['difference'] {
  let [worst, sum, count] = [0, 0, 0];
  for (let i = 0; i < made.height.length; i++) {
    if (made.valid && !made.valid[i]) continue;
    const off = Math.abs(made.height[i] + made.ground.datum - whole.height[i] - whole.ground.datum);
    if (off > worst) worst = off;
    sum += off * off;
    count++;
  }
  return { maxAbs: worst, rmse: Math.sqrt(sum / Math.max(1, count)), samples: count };
}

/** A mesh to draw. One that is too heavy for the screen is shown as the surface that pressing found. */
function drawable(mesh: Mesh, scale: number, pressed: Field): MeshPicture {
  if (triangleCount(mesh) > 200_000) {
    const segments = { x: Math.min(192, pressed.ground.across - 1), y: Math.min(192, pressed.ground.down - 1) };
    const { positions, indices } = gridMesh({ ...pressed, valid: undefined }, { segments, normals: false, uvs: false });
    return { positions, indices, up: 'y' };
  }
  return { positions: mesh.positions.map((v) => v * scale), indices: triangleIndices(mesh).slice(), up: mesh.up };
}
