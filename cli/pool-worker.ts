import { parentPort } from 'node:worker_threads';
import { bandWorker } from '@upland-cast/core/kernels/worker';

const receive = bandWorker((message) => parentPort!.postMessage(message));
parentPort!.on('message', receive);
