import type { Order, Source } from '../../course/recipe';
import { findUse, type Course } from '../../course/schema';
import { UplandError } from '../../errors';
import { MAX_SIDE, spacingOf, withSamples, type Ground } from '../../field/ground';
import { stepById } from '../../steps';
import { groundForReceiver, whyReceiverRefuses } from '../heights/receivers';

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
    sampling: 'auto',
    height: {
      on: true,
      format,
      type: types[0] ?? 'f32',
      range: null,
      oneRange: true,
      scale: null,
      ...receiver.raw,
      compression: 'none',
      noData: null,
      name: '',
    },
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
