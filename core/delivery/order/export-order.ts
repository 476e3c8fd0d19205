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
import { localWriter } from '../writer';
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
    const suffix = n === 0 ? '' : `-${safeName(called)}`;
    let prepared: Prepared | undefined;
    if (order.height.on) {
      options.onWork?.(`Writing and reading back: heights`, (n + 0.5) / order.grounds.length);
      if (receiver.heights.by === 'print') {
        const file = await solidFile(field, order, `${stem}${suffix}.stl`, options);
        yield* written();
        files.push(without(file));
        yield file;
      } else {
        const { order: byteOrder, rows, compression } = order.height;
        prepared = prepare(field, receiver, { ...order.height, options: { order: byteOrder, rows, compression } }, shared);
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
      const drawn = cutMapToWindow(withHoles(await drawMap(spec, own, evaluation, course.cover ?? defaultCover(), options), known), plan);
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
      yield { name, mediaType, bytes, role: 'report', unit: '', title: 'Docket', meaning: 'words', toTypeIn: [], words: [], proof: null };
    }
  }
  return docket;
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
