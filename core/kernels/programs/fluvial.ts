import { floats, overBands, rowsOf, type Program, type InterimState } from '../program';
import { layBeds, layTable, passBeds } from './beds';
import { clearStatus, endsHere, reachedBy, seenLevel, statusWords, tell } from './early';
import { begin, fans, findWay, restart, restoreSea, wear } from './fluvial-passes';
import { plan, type FluvialArgs, type FluvialGround, type FluvialInputs, type FluvialResult, type Level } from './fluvial-plan';
import { layInflows } from './inflows';
import { isSharedWith, pass, passShares, toCoarser } from './ladder';
import { bytesOf, lay, lift } from './levels';
import { markOutlets } from './outlets';

/**
 * Stream power and hillslopes from coarse grids to fine ones. Time goes on from grid to grid: the
 * large valleys are worn on coarse grids, and each finer one adds its own detail to the ground that
 * the coarser left and wears it on. At every step the water's way is drawn anew
 * on the ground as it is, hollows are breached, soil creeps and slides, and the
 * rivers wear (Braun & Willett 2013, implicit) and have the last word.
 */
export const fluvialProgram: Program<FluvialArgs, FluvialInputs, FluvialResult> = {
  id: 'fluvial',
  bytes: (args) => plan(args).bytes,

  load(arena, args, inputs) {
    const { levels, seen, status, work } = plan(args);
    for (const level of levels) {
      for (const at of [level.bed, level.ease, level.bank]) floats(arena, arena.start + at, bytesOf(level) / 4).fill(0);
    }
    const layGround = (level: Level, { bed, ease, bank, beds }: FluvialGround) => {
      lay(arena, level.bed, level, bed);
      if (beds) layBeds(arena, level, level.beds, beds);
      if (ease) lay(arena, level.ease, level, ease);
      else floats(arena, arena.start + level.ease, bytesOf(level) / 4).fill(1);
      if (typeof bank === 'number') floats(arena, arena.start + level.bank, bytesOf(level) / 4).fill(bank);
      else lay(arena, level.bank, level, bank);
    };
    layGround(levels[0], inputs);
    if (seen && inputs.seen) layGround(seen, inputs.seen);
    if (args.beds && inputs.beds) for (const level of levels) layTable(arena, level, level.beds, args.beds, inputs.beds.table);
    if (inputs.begun) {
      const { before, change, inflows } = inputs.begun;
      const coarsest = levels[levels.length - 1];
      lay(arena, coarsest.bed, coarsest, before);
      lay(
        arena,
        work.height,
        coarsest,
        before.map((h, i) => h + change[i]),
      );
      layInflows(arena, work.inflows, inflows);
    }
    clearStatus(statusWords(arena, status));
  },

  *run(kernels, arena, args, band) {
    const { levels, seen, work: at, status, stints } = plan(args);
    const word = statusWords(arena, status);
    // Each straight from the finest samples there are of it, so that another count of samples gives the same.
    for (const coarse of levels.slice(1, args.begun ? -1 : undefined)) {
      const own = seen && isSharedWith(coarse, seen) ? seen : levels[0];
      const passage = toCoarser(own, coarse);
      yield* pass(kernels, arena, passage, own.bed, at.passing, coarse.bed, band);
      yield* pass(kernels, arena, passage, own.bank, at.passing, coarse.bank, band);
      if (args.beds) yield* passBeds(kernels, arena, passage, own.beds, at.passing, coarse.beds, band);
      if (args.masked) yield* passShares(kernels, arena, passage, own.ease, at.passing, coarse.ease, band);
      else {
        const { from, to } = rowsOf(coarse.down, band);
        floats(arena, arena.start + coarse.ease, bytesOf(coarse) / 4).fill(1, (from + 1) * coarse.stride, (to + 1) * coarse.stride);
        yield;
      }
    }
    const rounds = args.alone ?? 1;
    const all = levels.reduce((sum, level, l) => sum + level.across * level.down * rounds * stints[l].steps, 0);
    let done = 0;
    let ended = false;
    // Whether the receivers are those of the grid that was worked on last.
    let routed = false;
    const grids = args.begun?.grids ?? 0;
    const first = levels.length - 1 - (args.begun ? 1 : 0);
    if (args.begun) {
      if (band.index === 0) markOutlets(arena, args, levels[first + 1], at);
      // Read from heights that every band is about to change.
      yield;
    }
    for (let l = first; l >= 0; l--) {
      const level = levels[l];
      const depth = grids + first - l;
      const { rivers, creep, steps } = stints[l];
      yield* begin(kernels, arena, args, levels, l, at, band, routed);
      routed = false;
      tell(word, band, l, 0);
      for (let round = 0; round < rounds && !ended; round++) {
        for (let step = 0; step < steps && !ended; step++) {
          if (yield* endsHere(word, band, args.until, { level: depth, round: step })) {
            ended = true;
            break;
          }
          const draws = args.alone ? step === 0 : !args.held || step === 0;
          const [salt, again] = [args.alone ? round : 64 * depth + step, round + step > 0];
          yield* overBands(level, band, function* (shared) {
            if (draws) yield* findWay(kernels, arena, args, level, at, shared, salt, again);
            if (args.alone && step === 0) yield* restart(arena, level, at, shared);
            yield* wear(kernels, arena, args, level, at, shared, { rivers: rivers / steps, creep: creep / steps }, draws && !args.alone && !args.held);
          });
          routed = true;
          done += level.across * level.down;
          band.progress(done / all);
          tell(word, band, l, step + 1);
        }
      }
    }
    const [finest] = levels;
    // Ended early, the ground's own grid has not seen any water yet.
    if (ended) yield* findWay(kernels, arena, args, finest, at, band, 0);
    if (args.silt >= 0) yield* fans(kernels, arena, args, finest, at, band);
    if (args.sea > -Infinity) restoreSea(arena, args, finest, at, band);
    yield;
  },

  take(arena, args) {
    const { levels, work, status } = plan(args);
    const [finest] = levels;
    const change = lift(arena, work.height, finest);
    const bed = lift(arena, finest.bed, finest);
    for (let i = 0; i < change.length; i++) change[i] -= bed[i];
    const flow = lift(arena, work.area, finest);
    const cell = args.spacingX * args.spacingY;
    for (let i = 0; i < flow.length; i++) flow[i] *= cell;
    return { change, flow, reached: reachedBy(statusWords(arena, status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, work, status } = plan(args);
    const level = seenLevel(statusWords(arena, status), levels);
    if (!level) return undefined;
    const change = lift(arena, work.height, level);
    const bed = lift(arena, level.bed, level);
    for (let i = 0; i < change.length; i++) change[i] = bed[i] < args.sea ? 0 : change[i] - bed[i];
    return { across: level.across, down: level.down, change };
  },
};
