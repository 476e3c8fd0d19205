import { Command, CommanderError } from 'commander';
import { commandsFor, MANUAL } from './manual';

/** Every command by its name, loaded when it is the one that is called, or when all are asked for. */
const COMMANDS: Readonly<Record<string, () => Promise<() => Command>>> = {
  inspect: async () => (await import('./commands/inspect')).inspectCommand,
  convert: async () => (await import('./commands/convert')).convertCommand,
  apply: async () => (await import('./commands/apply')).applyCommand,
  derive: async () => (await import('./commands/derive')).deriveCommand,
  run: async () => (await import('./commands/run')).runCommand,
  order: async () => (await import('./commands/order')).orderCommand,
  mesh: async () => (await import('./commands/mesh')).meshCommand,
  press: async () => (await import('./commands/mesh')).pressCommand,
  compare: async () => (await import('./commands/compare')).compareCommand,
  measure: async () => (await import('./commands/measure')).measureCommand,
  world: async () => (await import('./commands/world')).worldCommand,
  worker: async () => (await import('./commands/world')).workerCommand,
  'world-status': async () => (await import('./commands/world')).worldStatusCommand,
  starts: async () => (await import('./commands/starts')).startsCommand,
  steps: async () => (await import('./commands/steps')).stepsCommand,
  completion: async () => (await import('./commands/completion')).completionCommand,
};

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
async function add(name: string): Promise<void> {
  const command = (await COMMANDS[name]())();
  const { examples, finds } = MANUAL[name];
  const width = Math.max(...examples.map(([, call]) => call.length));
  command.addHelpText('after', `\nExamples:\n${examples.map(([what, call]) => `  ${program.name()} ${call.padEnd(width)}  ${what}`).join('\n')}`);
  command.addHelpText('after', `\nOther words for it: ${finds.join(', ')}`);
  program.addCommand(command);
}

/** A sentence where the first word is no command of this program. */
async function unknown(word: string): Promise<string> {
  const { steps } = await import('@upland-cast/core');
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
  const [word] = process.argv.slice(2);
  const all = word === undefined || word.startsWith('-') || word === 'help' || word === 'completion-server';
  for (const name of all ? Object.keys(COMMANDS) : Object.keys(COMMANDS).filter((each) => each === word)) await add(name);
  if (all) {
    const { formats, meshFormats } = await import('@upland-cast/core');
    const { completionServer } = await import('./commands/completion');
    program.addCommand(completionServer(program), { hidden: true });
    program.addHelpText('after', `\nHeightmaps: ${formats.flatMap((f) => f.endings).join(' ')}\nMeshes: ${meshFormats.flatMap((f) => f.endings).join(' ')}`);
  }
  for (const command of [program, ...program.commands]) {
    command.exitOverride().configureOutput({ writeOut: (text) => process.stdout.write(text), writeErr: (text) => process.stderr.write(text) });
  }
  if (!all && program.commands.length === 0) {
    process.stderr.write(`${await unknown(word)}\n`);
    process.exitCode = 2;
  } else await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    process.exitCode = error.exitCode === 0 ? 0 : 2;
  } else {
    const { sentenceOf } = await import('@upland-cast/core');
    process.stderr.write(`${sentenceOf(error)}\n`);
    process.exitCode = 1;
  }
}
