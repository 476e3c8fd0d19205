import { evaluateAtSamples, samplingWords, type SamplingReport } from '../../course/at-samples';
import type { Evaluation } from '../../course/evaluate';
import { fieldOf } from '../../course/field-of';
import type { MapSpec, Order, Source } from '../../course/recipe';
import { allUses, settingsOf, type Course } from '../../course/schema';
import { throwIfStopped, UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { besideHoles } from '../../field/beside-holes';
import { fillForDisplay } from '../../field/fill-for-display';
import { statistics, type Statistics } from '../../field/statistics';
import { formatById } from '../../formats';
import { stepById } from '../../steps';
import { compareBorder, describeBorder, prepare, type Prepared } from '../heights/prepare';
import { badName, safeName } from '../heights/receivers';
import { defaultCover } from '../maps/cover';
import { drawMap, type DrawnMap } from '../maps/draw';
import { calibrationOn } from '../report/calibration';
import { deliveryReportToHtml, makeDeliveryReport, type DeliveryReport, type ReportedFile } from '../report/delivery-report';
import { localWriter, pooledWriter } from '../writer';
import type { ExportedFile, ExportOptions } from './files';
import { heightFiles } from './height-files';
import { mapFiles } from './map-files';
import { mapName, nameOf, stemOf } from './names';
import { courseOfSource, planOf, sourceName, type Plan } from './plan';
import { solidFile } from './solid-file';
import { spotsOf } from './spots';
import { cutMapToWindow, cutToWindow } from './window';

/** The files of an order, one after the other, each read back and proofed; last the docket. A proof that fails ends it with a sentence. */
export async function* exportOrder(course: Course, order: Order, options: ExportOptions): AsyncGenerator<ExportedFile, DeliveryReport> {
  const plan = planOf(course, order);
  const stem = stemFor(course, order, plan);
  const writer = options.writer ?? localWriter;
  const line = new Writing();
  const words: string[] = [];
  let main: { field: Field; prepared?: Prepared } | undefined;
  const worked = (source: Source, first: boolean) => groundOfSource(course, source, plan, order, options, first);
  const shared =
    order.height.oneRange && order.grounds.length > 1
      ? await sharedStatistics(order.grounds, async (source) => (await worked(source, false)).field, plan)
      : undefined;
  if (shared) words.push(`All ${order.grounds.length} grounds are written on one range, so that equal codes are equal heights.`);
  for (const [n, source] of order.grounds.entries()) {
    throwIfStopped(options.signal);
    const called = sourceName(course, source);
    options.onWork?.(`Working out: ${called}`, n / order.grounds.length);
    const { own, field: whole, ...rest } = await worked(source, n === 0);
    let { evaluation } = rest;
    if (rest.sampling) words.push(`${n === 0 ? '' : `${called}: `}${samplingWords(rest.sampling, plan.window)}`);
    const field = cutToWindow(whole, plan);
    // Maps are drawn of the ground with its holes closed, so that none shows as a crater.
    const known = besideHoles(whole);
    if (whole.valid) evaluation = { ...evaluation, height: fillForDisplay(evaluation.height, whole.ground.across, whole.ground.down, whole.valid) };
    let prepared: Prepared | undefined;
    if (order.height.on) {
      options.onWork?.(`Writing and reading back: heights`, (n + 0.5) / order.grounds.length);
      const names = { stem: n === 0 ? stem : `${stem}-${safeName(called)}`, exact: n === 0 ? order.height.name : '', called };
      const heights = heightsOf(field, order, names, shared, options);
      ({ prepared } = heights);
      if (n === 0 && prepared) words.push(...prepared.words);
      yield* line.written();
      // Files that are one of many go out as they come; one alone is written while maps are drawn.
      if (heights.oneByOne) yield* line.through(heights.files);
      else line.begin(collected(heights.files));
    }
    if (n > 0) continue;
    main = { field, prepared };
    const named = new Set<string>();
    const maps = quickFirst(order.maps);
    for (const [k, spec] of maps.entries()) {
      throwIfStopped(options.signal);
      // The ground after every step is wanted for the masks of steps only.
      if (ofCover(spec)) evaluation = { ...evaluation, stages: [] };
      options.onWork?.(`Drawing and reading back: ${spec.kind}`, (k + 1) / (order.maps.length + 1));
      const drawn = cutMapToWindow(withHoles(await drawMap(spec, own, evaluation, course.cover ?? defaultCover(), options), known), plan);
      yield* line.written(AHEAD);
      // All threads are free for the last one.
      const by = k === maps.length - 1 && options.kernels.threads > 1 ? pooledWriter(options.kernels) : writer;
      line.begin(mapFiles({ ...spec, file: mapName(spec, own, named), as: order.mapsAs }, drawn, stem, order, by));
    }
  }
  yield* line.written();
  const docket = await docketOf(course, order, main!, line.files, words, options);
  if (order.docket) yield* docketFiles(docket, stem, await options.relief?.(main!.field));
  return docket;
}

/** What the names of an order's files begin with. Refuses a name that a receiver does not take, and samples that it does not read. */
function stemFor(course: Course, order: Order, plan: Plan): string {
  const { receiver, height } = order;
  if (receiver.heights.by !== 'print') {
    const known = receiver.formats.find((f) => f.format === height.format);
    if (height.on && !known?.types.includes(height.type)) {
      throw new UplandError('type', `${receiver.title} does not take ${formatById(height.format).title} with ${height.type} samples.`);
    }
  }
  const stem = height.name ? stemOf(height.name) : stemOf(nameOf(order, course.name, plan));
  const fault = badName(height.name || stem);
  if (fault) throw new UplandError('name', fault);
  return stem;
}

/** Files that are written while the next are worked out: few, so that little is held. */
class Writing {
  readonly files: ReportedFile[] = [];
  private readonly pending: Promise<ExportedFile[]>[] = [];

  begin(work: Promise<ExportedFile[]>): void {
    this.pending.push(work);
    // A fault is heard where the files are taken.
    work.catch(() => undefined);
  }

  /** What is there, until so many are left that are still being written. */
  async *written(left = 0): AsyncGenerator<ExportedFile> {
    while (this.pending.length > left) yield* this.through(await this.pending.shift()!);
  }

  async *through(files: Iterable<ExportedFile> | AsyncIterable<ExportedFile>): AsyncGenerator<ExportedFile> {
    for await (const file of files) {
      this.files.push(without(file));
      yield file;
    }
  }
}

/** The files of a ground's heights: a solid to print, or as the receiver takes them. */
function heightsOf(
  field: Field,
  order: Order,
  { stem, exact, called }: { stem: string; exact: string; called: string },
  shared: Statistics | undefined,
  options: ExportOptions,
): { files: AsyncIterable<ExportedFile>; oneByOne: boolean; prepared?: Prepared } {
  const { receiver } = order;
  if (receiver.heights.by === 'print') {
    const printed = async function* () {
      yield await solidFile(field, order, `${stem}.stl`, options);
    };
    return { files: printed(), oneByOne: true };
  }
  const { order: byteOrder, rows, compression } = order.height;
  const prepared = prepare(field, receiver, { ...order.height, options: { order: byteOrder, rows, compression } }, shared);
  const name = exact || `${stem}${formatById(order.height.format).endings[0]}`;
  return { files: heightFiles(prepared, order, name, called, options.writer ?? localWriter), oneByOne: Boolean(order.tiles), prepared };
}

function* docketFiles(docket: DeliveryReport, stem: string, picture: string | undefined): Generator<ExportedFile> {
  for (const [name, mediaType, text] of [
    [`${stem}-docket.html`, 'text/html', deliveryReportToHtml(docket, picture)],
    [`${stem}-docket.json`, 'application/json', JSON.stringify(docket, null, 2)],
  ]) {
    const bytes = new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>;
    yield { name, mediaType, bytes, role: 'report', unit: '', title: 'Docket', meaning: 'words', toTypeIn: [], words: [], proof: null };
  }
}

interface Worked {
  /** The course whose end the ground is. */
  own: Course;
  evaluation: Evaluation;
  /** What was worked out, whole, with its holes. */
  field: Field;
  sampling: SamplingReport | null;
}

/** A ground of an order at its samples. The first is the one that maps are drawn of: it keeps the ground after its steps where maps want it. */
async function groundOfSource(course: Course, source: Source, plan: Plan, order: Order, options: ExportOptions, first: boolean): Promise<Worked> {
  const own = courseOfSource(course, source);
  const at = { ...plan.ground, sea: course.ground.sea };
  const { evaluation, sampling } =
    source.kind === 'calibration'
      ? { evaluation: { ground: at, height: calibrationOn(at), stages: [], layers: {} }, sampling: null }
      : await evaluateAtSamples(own, at, order.sampling, options, { stages: first && order.maps.some(ofStep) });
  const faulty = evaluation.stages.find((s) => s.fault);
  if (faulty) throw new UplandError('step', `The step “${faulty.use.name || stepById(faulty.use.step).title}” cannot be done: ${faulty.fault}`);
  return { own, evaluation, field: fieldOf(evaluation, course.ground), sampling };
}

/** Lowest and highest over all grounds that are handed on together. */
export async function sharedStatistics(sources: readonly Source[], fieldOfSource: (source: Source) => Promise<Field>, plan: Plan): Promise<Statistics> {
  let all: Statistics | undefined;
  for (const source of sources) {
    const own = statistics(cutToWindow(await fieldOfSource(source), plan));
    all = all ? { ...all, lowest: Math.min(all.lowest, own.lowest), highest: Math.max(all.highest, own.highest) } : own;
  }
  return all!;
}

/** Maps that need the ground as a step left it. */
const ofStep = (map: MapSpec) => map.kind === 'mask' || (map.kind === 'layer' && map.after !== '');

/** A map of floats knows nothing where the ground has no height, nor beside it; codes have no number for that and stay closed. */
const withHoles = (drawn: DrawnMap, known: Uint8Array<ArrayBuffer> | undefined): DrawnMap =>
  known && 'field' in drawn && drawn.depth === '32f' ? { ...drawn, field: { ...drawn.field, valid: known } } : drawn;

/** Files that wait to be written while the next is drawn. */
const AHEAD = 5;

/** Maps that are drawn of the ground's cover take longest: the others are written meanwhile. */
const quickFirst = (maps: readonly MapSpec[]): MapSpec[] => [...maps.filter((map) => !ofCover(map)), ...maps.filter(ofCover)];
const ofCover = ({ kind }: MapSpec) => kind === 'colour' || kind === 'weights';

const without = ({ bytes: _, mediaType: __, ...file }: ExportedFile): ReportedFile => file;

async function collected(files: AsyncIterable<ExportedFile>): Promise<ExportedFile[]> {
  const all: ExportedFile[] = [];
  for await (const file of files) all.push(file);
  return all;
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
