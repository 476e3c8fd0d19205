import { expose, transfer } from 'comlink';
import { holdLife } from './alive';
import { buffersOfWritten, performWriteTask, type WriteTask } from '@upland-cast/core';

const writing = {
  async write(task: WriteTask) {
    const written = await performWriteTask(task);
    return transfer(written, buffersOfWritten(written));
  },
};
export type Writing = typeof writing;
expose(writing);
holdLife();
