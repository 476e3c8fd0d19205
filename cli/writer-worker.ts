import { parentPort } from 'node:worker_threads';
import { buffersOfWritten, performWriteTask, sentenceOf } from '@upland-cast/core';
import type { FromWriter, ToWriter } from './writing';

const say = (message: FromWriter, buffers: ArrayBuffer[] = []) => parentPort!.postMessage(message, buffers);

parentPort!.on('message', ({ job, task }: ToWriter) => {
  performWriteTask(task).then(
    (written) => say({ job, written }, buffersOfWritten(written)),
    (error: unknown) => say({ job, fault: sentenceOf(error) }),
  );
});
