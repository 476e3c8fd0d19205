import { Command } from 'commander';
import { startingCourses } from '@upland-cast/core';

export function startsCommand(): Command {
  return new Command('starts')
    .description('The starting courses; each is worked out by: upland-cast run start:ID OUT [--roll N].')
    .option('--json', 'print JSON')
    .action(({ json }: { json?: boolean }) => {
      const list = startingCourses.map(({ id, name, summary, make }) => {
        const { ground, stem } = make();
        return { id, name, summary, width: ground.width, depth: ground.depth, across: ground.across, down: ground.down, steps: stem.map((use) => use.step) };
      });
      if (json) process.stdout.write(`${JSON.stringify(list)}\n`);
      else
        for (const { id, summary, width, depth } of list)
          process.stdout.write(`${id.padEnd(16)} ${`${width / 1000} × ${depth / 1000} km`.padEnd(18)} ${summary}\n`);
    });
}
