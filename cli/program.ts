import { Command, CommanderError } from 'commander';
import { sentenceOf } from '@upland-cast/core';
import { MANUAL } from './manual';

// Whoever reads may have heard enough (`| head`): there is nobody left to tell.
for (const stream of [process.stdout, process.stderr]) {
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
    process.exit();
  });
}

const program = new Command('upland-cast')
  .description('Heightmaps and displaced meshes, kept true. Lengths in metres, angles in degrees.')
  .showHelpAfterError(false);

/** Puts a command in, with what the manual has of it. */
function add(name: string, command: Command): void {
  const { examples, finds } = MANUAL[name];
  const width = Math.max(...examples.map(([, call]) => call.length));
  command.addHelpText('after', `\nExamples:\n${examples.map(([what, call]) => `  ${program.name()} ${call.padEnd(width)}  ${what}`).join('\n')}`);
  command.addHelpText('after', `\nOther words for it: ${finds.join(', ')}`);
  program.addCommand(command);
}

/** What is asked of the program as a whole, and not of one command. */
interface Whole {
  /** The endings of all files that are known. */
  endings(): string;
  /** A sentence where the first word is no command. */
  unknownCommand(program: string, word: string): string;
  completionServer(program: Command): Command;
}

/** Runs the program with one of its commands; or with all of them, and what is asked of it as a whole. */
export async function runProgram(commands: Readonly<Record<string, () => Command>>, whole?: Whole): Promise<void> {
  try {
    const [word] = process.argv.slice(2);
    const all = word === undefined || word.startsWith('-') || word === 'help' || word === 'completion-server';
    for (const [name, make] of Object.entries(commands)) if (all || name === word) add(name, make());
    if (all && whole) {
      program.addCommand(whole.completionServer(program), { hidden: true });
      program.addHelpText('after', `\n${whole.endings()}`);
    }
    for (const command of [program, ...program.commands]) {
      command.exitOverride().configureOutput({ writeOut: (text) => process.stdout.write(text), writeErr: (text) => process.stderr.write(text) });
    }
    if (!all && whole && program.commands.length === 0) {
      process.stderr.write(`${whole.unknownCommand(program.name(), word)}\n`);
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
}
