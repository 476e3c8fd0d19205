import { bandWorker } from '@upland-cast/core/kernels/worker';
import { holdLife } from './alive';

const receive = bandWorker((message) => self.postMessage(message));
holdLife();
self.onmessage = (event) => receive(event.data);
