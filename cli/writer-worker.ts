import { parentPort } from 'node:worker_threads';
import { buffersOfWritten, performWriteTask, sentenceOf, type WriteTask } from '@upland-cast/core';

parentPort!.on('message', ({ job, task }: { job: number; task: WriteTask }) => {
  performWriteTask(task).then(
    (written) => parentPort!.postMessage({ job, written }, buffersOfWritten(written)),
    (error: unknown) => parentPort!.postMessage({ job, fault: sentenceOf(error) }),
  );
});
