import { Command, CommanderError } from 'commander';
import { formats, meshFormats, sentenceOf } from '@upland-cast/core';
import { applyCommand } from './commands/apply';
import { compareCommand } from './commands/compare';
import { measureCommand } from './commands/measure';
import { convertCommand } from './commands/convert';
import { deriveCommand } from './commands/derive';
import { inspectCommand } from './commands/inspect';
import { meshCommand, pressCommand } from './commands/mesh';
import { orderCommand } from './commands/order';
import { runCommand } from './commands/run';
import { startsCommand } from './commands/starts';
import { stepsCommand } from './commands/steps';

const program = new Command('upland-cast')
  .description('Heightmaps and displaced meshes, kept true. Lengths in metres, angles in degrees.')
  .addHelpText('after', `\nHeightmaps: ${formats.flatMap((f) => f.endings).join(' ')}\nMeshes: ${meshFormats.flatMap((f) => f.endings).join(' ')}`)
  .showHelpAfterError(false);

for (const add of [
  inspectCommand,
  convertCommand,
  applyCommand,
  deriveCommand,
  runCommand,
  orderCommand,
  meshCommand,
  pressCommand,
  compareCommand,
  measureCommand,
  startsCommand,
  stepsCommand,
]) {
  const command = add();
  program.addCommand(command);
}
for (const command of [program, ...program.commands]) {
  command.exitOverride().configureOutput({ writeOut: (text) => process.stdout.write(text), writeErr: (text) => process.stderr.write(text) });
}

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    process.exitCode = error.exitCode === 0 ? 0 : 2;
  } else {
    process.stderr.write(`${sentenceOf(error)}\n`);
    process.exitCode = 1;
  }
}
