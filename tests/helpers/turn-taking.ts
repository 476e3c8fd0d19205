import type { KernelExports } from '../../core/kernels/generated/exports';
import { instantiate } from '../../core/kernels/loader';
import type { Kernels } from '../../core/kernels/pool';

/** Pages of WebAssembly memory. */
const PAGE = 65_536;

/**
 * The kernels in so many bands on one thread: between two meetings the bands work one after the
 * other, the first one first or the last one first. A band that reads what another writes before
 * they meet gives other bytes in one of the two orders, whatever the machine's threads happen to do.
 * `seenAs`: what the programs are given in place of the kernels.
 */
export function turnTakingKernels(bands: number, lastFirst: boolean, seenAs = (kernels: KernelExports) => kernels): Kernels {
  const memory = new WebAssembly.Memory({ initial: 4 });
  const kernels = seenAs(instantiate('plain', memory));
  return {
    threads: bands,
    run(program, args, inputs) {
      const start = (kernels.heapBase() + 63) & ~63;
      const missing = start + program.bytes(args) - memory.buffer.byteLength;
      if (missing > 0) memory.grow(Math.ceil(missing / PAGE));
      const arena = { buffer: memory.buffer, start };
      program.load(arena, args, inputs);
      const works = Array.from({ length: bands }, (_, index) =>
        program.run(kernels, arena, args, { index, count: bands, progress: () => undefined, halting: () => false }),
      );
      const turns = lastFirst ? [...works].reverse() : works;
      for (;;) {
        const ended = turns.map((work) => work.next().done).filter(Boolean).length;
        if (ended === bands) break;
        if (ended > 0) throw new Error(`${program.id}: ${ended} of ${bands} bands ended while others wait to meet.`);
      }
      return Promise.resolve(program.take(arena, args));
    },
    close: () => undefined,
  };
}
