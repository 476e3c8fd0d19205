import { createHash } from 'node:crypto';
import { parentPort } from 'node:worker_threads';
import { DistinctCount } from '@upland-cast/core/analysis/distinct-count';
import type { ToTally } from './tally';

const hash = createHash('sha256');
let distinct: DistinctCount | undefined;

parentPort!.on('message', (message: ToTally) => {
  if (message.kind === 'count') (distinct ??= new DistinctCount()).add(message.samples);
  else if (message.kind === 'hash') hash.update(message.bytes);
  else parentPort!.postMessage({ distinct: distinct?.count ?? 0, sha256: hash.digest('hex') });
});
