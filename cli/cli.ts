import { Command, CommanderError } from 'commander';
import { formats, meshFormats, sentenceOf, steps } from '@upland-cast/core';
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
import { completionCommand, completionServer } from './commands/completion';
import { stepsCommand } from './commands/steps';
import { commandsFor, MANUAL } from './manual';

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
  completionCommand,
]) {
  const command = add();
  const { examples, finds } = MANUAL[command.name()];
  const width = Math.max(...examples.map(([, call]) => call.length));
  command.addHelpText('after', `\nExamples:\n${examples.map(([what, call]) => `  ${program.name()} ${call.padEnd(width)}  ${what}`).join('\n')}`);
  command.addHelpText('after', `\nOther words for it: ${finds.join(', ')}`);
  program.addCommand(command);
}
program.addCommand(completionServer(program), { hidden: true });
for (const command of [program, ...program.commands]) {
  command.exitOverride().configureOutput({ writeOut: (text) => process.stdout.write(text), writeErr: (text) => process.stderr.write(text) });
}

/** A sentence where the first word is no command of this program. */
function unknown(word: string | undefined): string | undefined {
  if (word === undefined || word.startsWith('-') || word === 'help' || program.commands.some((command) => command.name() === word)) return undefined;
  const meant = commandsFor(word);
  const these = steps.filter(({ id, title, finds }) => [id, title, ...finds].some((each) => each.toLowerCase().startsWith(word.toLowerCase())));
  return [
    `There is no command "${word}".`,
    meant.length ? `It may be: ${meant.join(', ')}.` : '',
    these.length ? `Steps by that word: ${these.map(({ id }) => id).join(', ')} (${program.name()} apply IN OUT --step ID).` : '',
    `All of them: ${program.name()} --help.`,
  ]
    .filter(Boolean)
    .join(' ');
}

try {
  const fault = unknown(process.argv[2]);
  if (fault) {
    process.stderr.write(`${fault}\n`);
    process.exitCode = 2;
  } else await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    process.exitCode = error.exitCode === 0 ? 0 : 2;
  } else {
    process.stderr.write(`${sentenceOf(error)}\n`);
    process.exitCode = 1;
  }
}
