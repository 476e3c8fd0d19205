import { bandWorker } from '@upland-cast/core/kernels/worker';
import { holdLife } from '../storage/alive';

const receive = bandWorker((message) => self.postMessage(message));
holdLife();
self.onmessage = (event) => receive(event.data);
