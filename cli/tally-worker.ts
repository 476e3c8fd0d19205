import { createHash } from 'node:crypto';
import { parentPort } from 'node:worker_threads';
import { DistinctCount } from '@upland-cast/core/analysis/distinct-count';
import type { FromTally, ToTally } from './tally';

const hash = createHash('sha256');
let distinct: DistinctCount | undefined;
const say = (message: FromTally) => parentPort!.postMessage(message);

parentPort!.on('message', (message: ToTally) => {
  if (message.kind === 'end') return say({ distinct: distinct?.count ?? 0, sha256: hash.digest('hex') });
  if (message.kind === 'count') (distinct ??= new DistinctCount()).add(message.samples);
  else hash.update(message.bytes);
  say('done');
});
