import { parentPort } from 'node:worker_threads';
import { buffersOfWritten, doWriting, sentenceOf, type WriteTask } from '@upland-cast/core';

parentPort!.on('message', ({ job, task }: { job: number; task: WriteTask }) => {
  doWriting(task).then(
    (written) => parentPort!.postMessage({ job, written }, buffersOfWritten(written)),
    (error: unknown) => parentPort!.postMessage({ job, fault: sentenceOf(error) }),
  );
});
