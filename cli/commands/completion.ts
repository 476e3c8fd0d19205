import { Argument, Command } from 'commander';
import { completionsFor } from '../completing';

const SHELLS = ['bash', 'zsh', 'fish', 'pwsh'] as const;
type Shell = (typeof SHELLS)[number];

const NAME = 'upland-cast';

export function completionCommand(): Command {
  return new Command('completion')
    .description('Prints the script by which a shell completes commands, options, steps, starting courses and receivers.')
    .addArgument(new Argument('<shell>', 'the shell to complete in').choices(SHELLS))
    .addHelpText('after', `\nTo have it in every new shell: ${NAME} completion bash >> ~/.bashrc`)
    .action(async (shell: Shell) => {
      const { getCompletionScript } = await completer();
      process.stdout.write(`${await getCompletionScript({ name: NAME, completer: NAME, shell })}\n`);
    });
}

/** What the printed script calls at every press of the completing key. */
export function completionServer(program: Command): Command {
  return new Command('completion-server').allowExcessArguments().action(async () => {
    const { getShellFromEnv, log, logFiles, parseEnv } = await completer();
    const { complete, partial } = parseEnv(process.env);
    if (!complete) return;
    const { words, files } = completionsFor(program, partial.split(/\s+/).slice(1));
    // A shell falls back to the names of files where nothing else fits.
    if (words.length === 0 && files) logFiles();
    else log(words, getShellFromEnv(process.env));
  });
}

/** Read when it is asked for: it stands beside the bundled command, with its scripts. */
const completer = async () => (await import('@pnpm/tabtab')).default;
