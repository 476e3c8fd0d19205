import { CONTROL_BYTES, HALT, barrier, PROGRESS, PROGRESS_FULL } from './control';
import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';
import { programs } from './programs';

/** What the pool sends to its workers. */
export type ToWorker =
  { kind: 'memory'; memory: WebAssembly.Memory } | { kind: 'run'; job: number; program: string; args: unknown; start: number; band: number; bands: number };

/** What comes back. */
export type FromWorker = { job: number; ok: true } | { job: number; ok: false; message: string };

/** One band of the pool: takes jobs over shared memory and answers when its rows are done. */
export function bandWorker(send: (message: FromWorker) => void): (message: ToWorker) => void {
  let memory: WebAssembly.Memory | undefined;
  let kernels: KernelExports | undefined;
  return (message) => {
    if (message.kind === 'memory') {
      memory = message.memory;
      kernels = instantiate('shared', memory);
      return;
    }
    const { job, program, args, start, band, bands } = message;
    try {
      const control = new Int32Array(memory!.buffer, start, CONTROL_BYTES / 4);
      const arena = { buffer: memory!.buffer, start: start + CONTROL_BYTES };
      const progress = (share: number) => {
        if (band === 0) Atomics.store(control, PROGRESS, Math.round(share * PROGRESS_FULL));
      };
      const steps = programs[program].run(kernels!, arena, args, { index: band, count: bands, progress, halting: () => Atomics.load(control, HALT) !== 0 });
      while (!steps.next().done) if (!barrier(control, bands)) break;
      send({ job, ok: true });
    } catch (error) {
      send({ job, ok: false, message: String(error) });
    }
  };
}
