import { parentPort, workerData } from 'node:worker_threads';
import { sentenceOf, UplandError } from '@upland-cast/core';
import { frameToBytes, type Frame } from '../run/frames';
import { serverKernels } from '../run/kernels';
import { work } from '../run/work';
import { survey, type SurveyTask } from '../survey/work';
import { lookAtWorld, type LookTask } from '../worlds/look';
import { workOnWorld, type WorldSaid, type WorldTask } from '../worlds/work';

/**
 * The thread in which the server does what takes long, so that its own thread always answers: the
 * survey's questions one after the other, or one order from beginning to end.
 */

/** Frames that may be on their way to a page that has not taken them. */
const MOST_UNDER_WAY = 8;

const port = parentPort!;
const fault = (error: unknown) => ({
  code: error instanceof UplandError ? error.code : 'unexpected',
  sentence: error instanceof UplandError ? sentenceOf(error) : 'Something that was not foreseen went wrong. The server has noted it.',
});

/** Answers questions one after the other. */
function answerAll<Task>(answer: (task: Task) => Promise<unknown>): void {
  port.on('message', ({ id, task }: { id: number; task: Task }) => {
    answer(task).then(
      (found) => port.postMessage({ id, answer: found }),
      (error: unknown) => {
        if (!(error instanceof UplandError)) console.error(error);
        port.postMessage({ id, fault: fault(error) });
      },
    );
  });
}

if (workerData === 'survey') {
  const kernels = serverKernels();
  answerAll((task: SurveyTask) => survey(task, kernels));
} else if (workerData === 'look') answerAll((task: LookTask) => lookAtWorld(task));
else if (workerData === 'world') {
  const stop = new AbortController();
  port.on('message', (message: WorldTask | { kind: 'stop' }) => {
    if (message.kind === 'stop') return stop.abort();
    const send = (said: WorldSaid) => port.postMessage(said);
    workOnWorld(message, serverKernels(), stop.signal, send).catch((error: unknown) => {
      if (!(error instanceof UplandError)) console.error(error);
      send({ kind: 'fault', ...fault(error) });
    });
  });
} else {
  port.once('message', ({ project, order }: { project: Uint8Array<ArrayBuffer>; order: string }) => {
    let credit = MOST_UNDER_WAY;
    let wake: () => void = () => undefined;
    port.on('message', (message: { kind: string }) => {
      if (message.kind !== 'taken') return;
      credit++;
      wake();
    });
    // Waits while the page does not take what there is: a slow one must not fill the memory.
    const send = async (frame: Frame) => {
      while (credit <= 0) await new Promise<void>((resolve) => (wake = resolve));
      credit--;
      const bytes = frameToBytes(frame);
      port.postMessage({ kind: 'frame', bytes }, [bytes.buffer]);
    };
    work(project, order, send, new AbortController().signal)
      .catch(async (error: unknown) => {
        if (!(error instanceof UplandError)) console.error(error);
        await send({ kind: 'fault', ...fault(error) });
      })
      .finally(() => port.postMessage({ kind: 'end' }));
  });
}
