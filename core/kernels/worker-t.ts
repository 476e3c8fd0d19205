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
      let wait = 0, n = 0; const t0 = performance.now(); const big: number[] = [];
      for (;;) { const a = performance.now(); const r = steps.next(); const b = performance.now(); big.push(b - a); if (r.done) break; const ok = barrier(control, bands); wait += performance.now() - b; n++; if (!ok) break; }
      const all = performance.now() - t0; if (all > 100) console.error(program, 'band', band, 'all', all.toFixed(0), 'work', (all - wait).toFixed(0), 'wait', wait.toFixed(0), 'meets', n);
      send({ job, ok: true });
    } catch (error) {
      send({ job, ok: false, message: String(error) });
    }
  };
}
