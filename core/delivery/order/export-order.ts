import { evaluate, type Evaluation } from '../../course/evaluate';
import { allUses, findUse, settingsOf, type Course } from '../../course/schema';
import { throwIfStopped, UplandError } from '../../errors';
import { makeField, type Field } from '../../field/field';
import { MAX_SIDE, spacingOf, withSamples, type Ground } from '../../field/ground';
import { sha256 } from '../../field/hash';
import { statistics } from '../../field/statistics';
import { formatById } from '../../formats';
import { CODES } from '../../formats/format';
import type { Image } from '../../formats/png';
import { boundsOf } from '../../mesh/mesh';
import { rasterizeMeshOnKernels } from '../../mesh/raster/rasterize';
import { readMesh } from '../../mesh/formats';
import { stl } from '../../mesh/formats/stl';
import { solidOf } from '../../mesh/model/solid';
import { stepById } from '../../steps';
import { fieldOf } from '../../course/field-of';
import { fillForDisplay } from '../../field/fill-for-display';
import { calibrationOn } from '../report/calibration';
import { defaultCover, type CoverOptions } from '../maps/cover';
import { nameBeside } from '../heights/deliver';
import { deliveryReportToHtml, makeDeliveryReport, type ReportedFile, type DeliveryReport } from '../report/delivery-report';
import { drawMap, MAPS, type DrawnMap, type MapFile, type NamedMap } from '../maps/draw';
import { compareBorder, describeBorder, prepare, type Prepared } from '../heights/prepare';
import { badName, fileNameFor, groundForReceiver, safeName, whyReceiverRefuses } from '../heights/receivers';
import type { MapSpec, Order, Source } from '../../course/recipe';
import { extendEdges, tileField, tileName, tilesOf } from '../heights/tiles';
import { localWriter, type Writer } from '../writer';

/** An order as it begins for a receiver. */
export function orderForReceiver(receiver: Order['receiver'], course: Pick<Course, 'ground'>, samples: number): Order {
  const [{ format, types }] = receiver.formats;
  return {
    id: 'order',
    name: receiver.title,
    receiver,
    grounds: [{ kind: 'end' }],
    frame: null,
    samples: samples || Math.max(course.ground.across, course.ground.down),
    fit: 'anew',
    height: { on: true, format, type: types[0] ?? 'f32', range: null, scale: null, ...receiver.raw, compression: 'none', noData: null, name: '' },
    tiles: null,
    maps: [],
    mapsAs: { format: 'png', order: receiver.raw.order, rows: receiver.raw.rows },
    docket: true,
  };
}

/** The course whose end is the ground that is asked for. */
export function courseOfSource(course: Course, source: Source): Course {
  if (source.kind === 'end' || source.kind === 'calibration') return course;
  if (source.kind === 'tributary') {
    const line = course.tributaries.find((t) => t.id === source.id);
    if (!line) throw new UplandError('source', 'The tributary that this order hands on is not there any more. Choose another ground.');
    return { ...course, stem: line.steps, tributaries: course.tributaries.filter((t) => t.id !== source.id) };
  }
  const found = findUse(course, source.id);
  if (!found) throw new UplandError('source', 'The step whose ground this order hands on is not there any more. Choose another ground.');
  const stem = found.line.steps.slice(0, found.index + 1);
  return { ...course, stem, tributaries: course.tributaries.filter((t) => t.id !== found.line.id) };
}

/** What a source is called. */
export function sourceName(course: Course, source: Source): string {
  if (source.kind === 'end') return 'The end of the course';
  if (source.kind === 'calibration') return 'Calibration ground';
  if (source.kind === 'tributary') return course.tributaries.find((t) => t.id === source.id)?.name ?? 'A tributary';
  const use = findUse(course, source.id)?.use;
  return use ? `After ${use.name || stepById(use.step).title}` : 'After a step';
}

/** The grid that an order is worked out on, and the window of it that is handed on; a window beyond the grid carries the outer values on. */
export interface Plan {
  ground: Ground;
  window: { left: number; top: number; across: number; down: number };
}

/** Samples that a tab works out at the most. */
export const MOST_IN_A_TAB = 8_193 * 8_193;

/** Where the samples of an order lie. Refuses what cannot be. */
export function planOf(course: Pick<Course, 'ground'>, order: Pick<Order, 'receiver' | 'frame' | 'samples' | 'fit'>): Plan {
  const { ground } = course;
  const { receiver, frame, samples, fit } = order;
  const refused = whyReceiverRefuses(receiver, samples);
  if (refused) throw new UplandError('size', refused);
  if (fit !== 'anew') {
    const own = spacingOf(ground);
    if (receiver.registration !== 'either' && receiver.registration !== ground.registration) {
      const kinds = { point: 'points on the edge', area: 'cell centres' };
      throw new UplandError(
        'size',
        `This ground’s samples are ${kinds[ground.registration]} and the receiver wants ${kinds[receiver.registration]}: it has to be worked out anew.`,
      );
    }
    if (Math.abs(own.x - own.y) > 1e-9 * own.x && receiver.square)
      throw new UplandError('size', 'Its samples are not as far apart one way as the other: it has to be worked out anew.');
    const down = receiver.square ? samples : Math.round((samples * ground.down) / ground.across);
    const middle = (whole: number, part: number) => (part < whole ? Math.floor((whole - part) / 2) : 0);
    const from = frame
      ? { left: Math.round(frame.west / own.x), top: Math.round(frame.north / own.y) }
      : { left: middle(ground.across, samples), top: middle(ground.down, down) };
    return { ground, window: { ...from, across: samples, down } };
  }
  if (!frame) {
    const whole = groundForReceiver(receiver, ground, samples);
    return { ground: whole, window: { left: 0, top: 0, across: whole.across, down: whole.down } };
  }
  if (frame.west < 0 || frame.north < 0 || frame.west + frame.width > ground.width * 1.000001 || frame.north + frame.depth > ground.depth * 1.000001) {
    throw new UplandError('frame', 'The frame reaches beyond the ground. Move it inwards or make it smaller.');
  }
  const registration = receiver.registration === 'either' ? ground.registration : receiver.registration;
  const extra = registration === 'point' ? 1 : 0;
  const longest = Math.max(frame.width, frame.depth);
  // The whole at the spacing that the frame needs, its sides in whole samples.
  const steps = (length: number) => Math.max(1, Math.round(((samples - extra) * length) / longest));
  const [across, down] = [steps(ground.width) + extra, steps(ground.depth) + extra];
  if (Math.max(across, down) > MAX_SIDE) {
    throw new UplandError(
      'frame',
      `At this count in the frame the whole ground would have ${across} × ${down} samples, and it is worked out whole. ${MAX_SIDE} a side is the most: take fewer samples or a larger frame.`,
    );
  }
  const whole = { ...withSamples(ground, across, down), registration };
  const own = spacingOf(whole);
  const part = (length: number, one: number) => (receiver.square ? samples : Math.max(1, Math.round(length / one)) + extra);
  const window = { across: part(frame.width, own.x), down: part(frame.depth, own.y) };
  const at = (where: number, one: number, count: number, all: number) => Math.max(0, Math.min(all - count, Math.round(where / one)));
  return { ground: whole, window: { left: at(frame.west, own.x, window.across, across), top: at(frame.north, own.y, window.down, down), ...window } };
}

/** One file that was written and proofed. */
export interface ExportedFile extends ReportedFile {
  bytes: Uint8Array<ArrayBuffer>;
  mediaType: string;
}

export interface ExportOptions extends CoverOptions {
  onWork?(words: string, share: number): void;
  /** A picture of a ground for the docket, as a data URL. */
  relief?(field: Field): Promise<string>;
  /** Writes the files; left out: here, one after the other. */
  writer?: Writer;
  /** Heights of spots before the last change, by their id. */
  spotsBefore?: Record<string, number>;
}

/** The files of an order, one after the other, each read back and proofed; last the docket. A proof that fails ends it with a sentence. */
export async function* exportOrder(course: Course, order: Order, options: ExportOptions): AsyncGenerator<ExportedFile, DeliveryReport> {
  const { receiver } = order;
  const plan = planOf(course, order);
  if (receiver.heights.by !== 'print') {
    const known = receiver.formats.find((f) => f.format === order.height.format);
    if (order.height.on && !known?.types.includes(order.height.type)) {
      throw new UplandError('type', `${receiver.title} does not take ${formatById(order.height.format).title} with ${order.height.type} samples.`);
    }
  }
  const stem = order.height.name ? stemOf(order.height.name) : stemOf(nameOf(order, course.name, plan));
  const fault = badName(order.height.name || stem);
  if (fault) throw new UplandError('name', fault);
  const writer = options.writer ?? localWriter;
  const files: ReportedFile[] = [];
  const words: string[] = [];
  // What is being written while the next is worked out: few, so that little is held.
  const pending: Promise<ExportedFile[]>[] = [];
  const written = async function* (left = 0) {
    while (pending.length > left) {
      const own = await pending.shift()!;
      files.push(...own.map(without));
      yield* own;
    }
  };
  const begin = (work: Promise<ExportedFile[]>) => {
    pending.push(work);
    // A fault is heard where the files are taken.
    work.catch(() => undefined);
  };
  let main: { field: Field; prepared?: Prepared } | undefined;
  for (const [n, source] of order.grounds.entries()) {
    throwIfStopped(options.signal);
    const called = sourceName(course, source);
    options.onWork?.(`Working out: ${called}`, n / order.grounds.length);
    const own = courseOfSource(course, source);
    const at = { ...plan.ground, sea: course.ground.sea };
    let evaluation: Evaluation =
      source.kind === 'calibration' ? { ground: at, height: calibrationOn(at), stages: [], layers: {} } : await evaluate({ ...own, ground: at }, options);
    const faulty = evaluation.stages.find((s) => s.fault);
    if (faulty) throw new UplandError('step', `The step “${faulty.use.name || stepById(faulty.use.step).title}” cannot be done: ${faulty.fault}`);
    const worked = fieldOf(evaluation, course.ground);
    const field = placed(worked, plan);
    // Maps are drawn of the ground with its holes closed, so that none shows as a crater.
    if (worked.valid) evaluation = { ...evaluation, height: fillForDisplay(evaluation.height, worked.ground.across, worked.ground.down, worked.valid) };
    const suffix = n === 0 ? '' : `-${safeName(called)}`;
    let prepared: Prepared | undefined;
    if (order.height.on) {
      options.onWork?.(`Writing and reading back: heights`, (n + 0.5) / order.grounds.length);
      if (receiver.heights.by === 'print') {
        const file = await solid(field, order, `${stem}${suffix}.stl`, options);
        yield* written();
        files.push(without(file));
        yield file;
      } else {
        prepared = prepare(field, receiver, {
          ...order.height,
          options: { order: order.height.order, rows: order.height.rows, compression: order.height.compression },
        });
        if (n === 0) words.push(...prepared.words);
        const ending = formatById(order.height.format).endings[0];
        const exact = n === 0 && order.height.name ? order.height.name : `${stem}${suffix}${ending}`;
        yield* written();
        if (order.tiles) {
          for await (const file of heightFiles(prepared, order, exact, called, writer)) {
            files.push(without(file));
            yield file;
          }
        } else begin(collected(heightFiles(prepared, order, exact, called, writer)));
      }
    }
    if (n > 0) continue;
    main = { field, prepared };
    const named = new Set<string>();
    for (const [k, spec] of quickFirst(order.maps).entries()) {
      throwIfStopped(options.signal);
      // The ground after every step is wanted for the masks of steps only.
      if (ofCover(spec)) evaluation = { ...evaluation, stages: [] };
      options.onWork?.(`Drawing and reading back: ${spec.kind}`, (k + 1) / (order.maps.length + 1));
      const drawn = placedMap(await drawMap(spec, own, evaluation, course.cover ?? defaultCover(), options), plan);
      yield* written(AHEAD);
      begin(mapFiles({ ...spec, file: mapName(spec, own, named), as: order.mapsAs }, drawn, stem, order, writer));
    }
  }
  yield* written();
  const docket = await docketOf(course, order, main!, files, words, options);
  if (order.docket) {
    const picture = await options.relief?.(main!.field);
    for (const [name, mediaType, text] of [
      [`${stem}-docket.html`, 'text/html', deliveryReportToHtml(docket, picture)],
      [`${stem}-docket.json`, 'application/json', JSON.stringify(docket, null, 2)],
    ]) {
      const bytes = new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>;
      yield { name, mediaType, bytes, title: 'Docket', meaning: 'words', toTypeIn: [], words: [], proof: null };
    }
  }
  return docket;
}

/** Files that wait to be written while the next is drawn. */
const AHEAD = 5;

/** Maps that are drawn of the ground's cover take longest: the others are written meanwhile. */
const quickFirst = (maps: readonly MapSpec[]): MapSpec[] => [...maps.filter((map) => !ofCover(map)), ...maps.filter(ofCover)];
const ofCover = ({ kind }: MapSpec) => kind === 'colour' || kind === 'weights';

/** What tells the file of a map from those of the others: its kind, a mask's step, and a number where that is taken. */
function mapName(spec: MapSpec, course: Course, taken: Set<string>): string {
  const use = spec.kind === 'mask' && findUse(course, spec.use)?.use;
  const own = spec.kind === 'layer' ? spec.layer : use ? `mask-${safeName(use.name || stepById(use.step).title)}` : MAPS[spec.kind].file;
  let name = own;
  for (let n = 2; taken.has(name); n++) name = `${own}-${n}`;
  taken.add(name);
  return name;
}

const without = ({ name, title, meaning, toTypeIn, words, proof }: ExportedFile): ReportedFile => ({ name, title, meaning, toTypeIn, words, proof });

const stemOf = (name: string) => name.replace(/\.[A-Za-z0-9]{1,5}$/, '').replace(/\.packed$/, '');

const nameOf = (order: Order, terrain: string, { window }: Plan) =>
  fileNameFor(order.receiver, terrain, Math.max(window.across, window.down), order.height.format, order.height.type);

/** The window of a ground that is handed on. */
function placed(field: Field, { window: { left, top, across, down } }: Plan): Field {
  const { ground } = field;
  if (left === 0 && top === 0 && across === ground.across && down === ground.down) return field;
  const [right, below] = [Math.min(ground.across, left + across), Math.min(ground.down, top + down)];
  const part = tileField(field, left, top, right - left, below - top);
  return right - left === across && below - top === down ? part : extendEdges(part, across, down);
}

function placedMap(drawn: DrawnMap, plan: Plan): DrawnMap {
  if ('field' in drawn) return { ...drawn, field: placed(drawn.field, plan) };
  const { left, top, across, down } = plan.window;
  const cut = (image: Image): Image => {
    const { width, height, channels, samples } = image;
    if (left === 0 && top === 0 && across === width && down === height) return image;
    const out = samples instanceof Uint16Array ? new Uint16Array(across * down * channels) : new Uint8Array(across * down * channels);
    for (let row = 0; row < down; row++) {
      const from = Math.min(height - 1, top + row) * width;
      for (let column = 0; column < across; column++) {
        const at = (from + Math.min(width - 1, left + column)) * channels;
        for (let c = 0; c < channels; c++) out[(row * across + column) * channels + c] = samples[at + c];
      }
    }
    return { width: across, height: down, channels, samples: out };
  };
  return { ...drawn, images: drawn.images.map((each) => ({ ...each, image: cut(each.image) })) };
}

async function collected(files: AsyncIterable<ExportedFile>): Promise<ExportedFile[]> {
  const all: ExportedFile[] = [];
  for await (const file of files) all.push(file);
  return all;
}

async function* heightFiles(
  { field, encoding, toTypeIn, words }: Prepared,
  order: Order,
  name: string,
  called: string,
  writer: Writer,
): AsyncGenerator<ExportedFile> {
  const format = formatById(encoding.format);
  const pieces = order.tiles ? tilesOf(field, order.tiles) : [{ column: 0, row: 0, field }];
  const ending = name.slice(stemOf(name).length);
  for (const piece of pieces) {
    const own = order.tiles ? tileNamed(order.tiles, stemOf(name), piece, ending) : name;
    const { bytes, beside, proof } = await writer.heights(piece.field, own, encoding);
    const { ground } = piece.field;
    const codes = CODES[encoding.type];
    const lines = [
      {
        label: 'Samples',
        value: `${ground.across} × ${ground.down}, ${codes ? `${codes.bits}-bit whole numbers` : `${encoding.type === 'f32' ? 32 : 64}-bit floats`}, one channel`,
      },
    ];
    const apart = spacingOf(ground);
    const step = (m: number) => `${Number(m.toPrecision(7))} m`;
    lines.push({ label: 'From sample to sample', value: apart.x === apart.y ? step(apart.x) : `${step(apart.x)} × ${step(apart.y)}` });
    if (encoding.noData !== null && encoding.noData !== undefined) lines.push({ label: 'No data', value: String(encoding.noData) });
    if (encoding.format === 'raw') {
      lines.push({ label: 'Byte order', value: encoding.options?.order === 'be' ? 'big-endian' : 'little-endian' });
      lines.push({ label: 'First row', value: encoding.options?.rows === 'south' ? 'the south edge' : 'the north edge' });
    } else lines.push({ label: 'First row', value: 'the north edge' });
    if (codes && encoding.range) {
      const { low, high } = encoding.range;
      const digits = (m: number) => `${Number(m.toPrecision(9))} m`;
      lines.push({ label: `Height of code ${codes.min}`, value: digits(low) }, { label: `Height of code ${codes.max}`, value: digits(high) });
      lines.push(
        { label: 'Height over all codes', value: digits(high - low) },
        { label: 'Metres a code', value: `${((high - low) / (codes.max - codes.min)).toPrecision(6)} m` },
      );
    } else if (!encoding.unit) lines.push({ label: 'Values', value: 'metres, absolute' });
    yield {
      name: own,
      bytes,
      mediaType: format.mediaType,
      title: `Heights: ${called}`,
      meaning: 'data',
      toTypeIn: [...lines, ...toTypeIn.filter((t) => !lines.some((l) => l.label === t.label))],
      words,
      proof,
    };
    for (const extra of beside) {
      yield {
        name: nameBeside(own, extra.ending),
        bytes: extra.bytes,
        mediaType: 'text/plain',
        title: 'Belongs beside the heights',
        meaning: 'words',
        toTypeIn: [],
        words: [],
        proof: null,
      };
    }
  }
}

const tileNamed = (tiling: NonNullable<Order['tiles']>, stem: string, piece: { column: number; row: number }, ending: string) => {
  const name = `${tileName(tiling.pattern.replaceAll('{name}', stem), piece, tiling)}${ending}`;
  const fault = badName(name);
  if (fault) throw new UplandError('name', fault);
  return name;
};

async function mapFiles(spec: NamedMap, drawn: DrawnMap, stem: string, order: Order, writer: Writer): Promise<ExportedFile[]> {
  if (!order.tiles) return (await writer.map(spec, drawn, stem)).map(asHanded);
  const { tiles } = order;
  const out: ExportedFile[] = [];
  const first = 'field' in drawn ? drawn.field.ground : { ...flat(drawn.images[0].image) };
  for (const piece of tilesOf(makeField(first, new Float32Array(first.across * first.down)), tiles)) {
    const { across, down } = piece.field.ground;
    const step = tiles.shared ? 1 : 0;
    const window = { left: piece.column * (across - step), top: piece.row * (down - step), across, down };
    const part = placedMap(drawn, { ground: first, window });
    out.push(...(await writer.map(spec, part, tileName(tiles.pattern.replaceAll('{name}', stem), piece, tiles))).map(asHanded));
  }
  return out;
}

const flat = ({ width, height }: Image): Ground => ({ width, depth: height, across: width, down: height, registration: 'area', datum: 0, sea: 0 });
const asHanded = (file: MapFile): ExportedFile => file;

/** A closed solid, read back and pressed to heights again. */
async function solid(field: Field, { receiver }: Order, name: string, { kernels, signal }: ExportOptions): Promise<ExportedFile> {
  if (receiver.heights.by !== 'print') throw new UplandError('format', 'Only a printed model is a solid.');
  const { scale, base } = receiver.heights;
  const bytes = stl.encode(solidOf(field, { scale, base }), name);
  const { ground } = field;
  const { lowest, highest } = statistics(field);
  const back = readMesh(bytes);
  const pressed = await rasterizeMeshOnKernels(kernels, back, { up: 'z', size: { across: ground.across, down: ground.down }, registration: 'point', signal });
  const metres = scale / 1000;
  let [worst, sum] = [0, 0];
  for (let i = 0; i < field.height.length; i++) {
    const h = (pressed.field.height[i] + pressed.field.ground.datum - base) * metres + lowest;
    const off = Math.abs(h - field.height[i] - ground.datum);
    worst = Math.max(worst, off);
    sum += off * off;
  }
  // Single floats in millimetres, and what they lose on the way back.
  const allowed = (highest - lowest) * 2e-6 + metres * (base + (highest - lowest) / metres) * 2 ** -22;
  const faults = worst > allowed || pressed.holes ? [`The solid read back is off by ${worst} m; ${allowed} m is the most that single floats explain.`] : [];
  if (faults.length) throw new UplandError('proof-failed', `${name} was not handed on: its proof failed. ${faults.join(' ')}`);
  const { min, max } = boundsOf(back.positions);
  const size = (axis: number) => Number((max[axis] - min[axis]).toPrecision(5));
  return {
    name,
    bytes,
    mediaType: 'model/stl',
    title: 'A closed solid',
    meaning: 'data',
    toTypeIn: [
      { label: 'Unit', value: 'millimetres, z up' },
      { label: 'Scale', value: `1 : ${scale}` },
      { label: 'Size', value: `${size(0)} × ${size(1)} × ${size(2)} mm` },
      { label: 'Base', value: `${base} mm under the lowest point` },
    ],
    words: [],
    proof: {
      ok: true,
      maxAbs: worst,
      rmse: Math.sqrt(sum / field.height.length),
      clipped: 0,
      codesUsed: 0,
      sha256: await sha256(bytes),
      bytes: bytes.length,
      faults,
    },
  };
}

async function docketOf(
  course: Course,
  order: Order,
  { field, prepared }: { field: Field; prepared?: Prepared },
  files: ReportedFile[],
  words: string[],
  options: ExportOptions,
): Promise<DeliveryReport> {
  const { receiver } = order;
  const around = receiver.around === null ? [] : describeBorder(compareBorder(prepared?.field ?? field, receiver.around), receiver.around);
  return makeDeliveryReport({
    terrain: course.name,
    receiver,
    field,
    sea: course.ground.sea,
    words: [...words, ...around],
    files,
    spots: spotsOf(course, order, field, prepared, options.spotsBefore ?? {}),
    steps: allUses(course)
      .filter((use) => use.on)
      .map((use) => ({ title: use.name || stepById(use.step).title, caption: stepById(use.step).caption(settingsOf(use) as never) })),
  });
}

/** The heights of spots: before the last change, now, and as the receiver gets them. */
function spotsOf(course: Course, order: Order, field: Field, prepared: Prepared | undefined, before: Record<string, number>): DeliveryReport['spots'] {
  const own = planOf(course, order);
  const spacing = spacingOf(own.ground);
  const pad = own.ground.registration === 'area' ? 0.5 : 0;
  return course.spots.flatMap((spot) => {
    const column = Math.round(spot.east / spacing.x - pad) - own.window.left;
    const row = Math.round(spot.south / spacing.y - pad) - own.window.top;
    if (column < 0 || row < 0 || column >= field.ground.across || row >= field.ground.down) return [];
    const i = row * field.ground.across + column;
    const now = field.height[i] + field.ground.datum;
    let delivered = prepared ? prepared.field.height[i] + prepared.field.ground.datum : now;
    const codes = prepared && CODES[prepared.encoding.type];
    if (prepared?.encoding.range && codes) {
      const { low, high } = prepared.encoding.range;
      const step = (high - low) / (codes.max - codes.min);
      delivered = low + Math.min(codes.max - codes.min, Math.max(0, Math.round((delivered - low) / step))) * step;
    }
    return [{ name: spot.name, before: Number.isFinite(before[spot.id]) ? before[spot.id] : null, now, delivered }];
  });
}
