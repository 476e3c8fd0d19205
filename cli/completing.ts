import type { Argument, Command, Option } from 'commander';
import { receivers, startingCourses, steps } from '@upland-cast/core';

/** A word that can stand next, and what it means. */
export interface Completion {
  name: string;
  description?: string;
}

const starts = (): Completion[] => startingCourses.map(({ id, summary }) => ({ name: `start:${id}`, description: summary }));

/** What can stand where a command takes an argument or an option's value; those that are not here are files or numbers. */
const VALUES: Readonly<Record<string, () => Completion[]>> = {
  'apply --step': () => steps.map(({ id, summary }) => ({ name: id, description: summary })),
  'run terrain': starts,
  'order terrain': starts,
  'order --receiver': () => receivers.map(({ id, title }) => ({ name: id, description: title })),
};

const choicesOf = ({ argChoices, parseArg }: Argument | Option): Completion[] =>
  (argChoices ?? (parseArg as { choices?: readonly string[] } | undefined)?.choices ?? []).map((name) => ({ name }));

/**
 * What can stand at the end of a line. `words`: those after the program's name, the last one as far as it is typed.
 * `files`: the names of files can stand there too.
 */
export function completionsFor(program: Command, words: readonly string[]): { words: Completion[]; files: boolean } {
  const typed = words.at(-1) ?? '';
  const [name, ...rest] = words.slice(0, -1);
  const among = (all: Completion[], files = false) => ({ words: all.filter((word) => word.name.startsWith(typed)), files });
  if (name === undefined)
    return among(
      program
        .createHelp()
        .visibleCommands(program)
        .map((each) => ({ name: each.name(), description: each.description() })),
    );
  const command = program.commands.find((each) => each.name() === name);
  if (!command) return among([]);

  const optionOf = (word?: string) => command.options.find((option) => option.long === word);
  const before = optionOf(rest.at(-1));
  if (before && (before.required || before.optional)) {
    const values = VALUES[`${name} ${before.long}`]?.() ?? choicesOf(before);
    return among(values, values.length === 0 || name === 'order');
  }
  if (typed.startsWith('-')) return among(command.options.map(({ long, description }) => ({ name: long!, description })));
  const given = rest.filter((word, i) => !word.startsWith('-') && !(optionOf(rest[i - 1])?.required ?? false));
  const argument = command.registeredArguments[Math.min(given.length, command.registeredArguments.length - 1)];
  if (!argument) return among([], false);
  const values = VALUES[`${name} ${argument.name()}`]?.() ?? choicesOf(argument);
  return among(values, values.length === 0 || argument.name() === 'terrain');
}
