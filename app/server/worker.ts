import { parentPort, workerData } from 'node:worker_threads';
import { sentenceOf, UplandError } from '@upland-cast/core';
import { frameToBytes, type Frame } from '../run/frames';
import { serverKernels } from '../run/kernels';
import { work } from '../run/work';
import { survey, type SurveyTask } from '../survey/work';

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

if (workerData === 'survey') {
  const kernels = serverKernels();
  port.on('message', ({ id, task }: { id: number; task: SurveyTask }) => {
    survey(task, kernels).then(
      (answer) => port.postMessage({ id, answer }),
      (error: unknown) => {
        if (!(error instanceof UplandError)) console.error(error);
        port.postMessage({ id, fault: fault(error) });
      },
    );
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
