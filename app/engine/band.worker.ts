import { bandWorker } from '@upland-cast/core/kernels/worker';

const receive = bandWorker((message) => self.postMessage(message));
self.onmessage = (event) => receive(event.data);
