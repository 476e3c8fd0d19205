import { formats, meshFormats, steps } from '@upland-cast/core';
import { commandsFor } from './manual';

/** The endings of all files that are known. */
export const endings = (): string => `Heightmaps: ${formats.flatMap((f) => f.endings).join(' ')}\nMeshes: ${meshFormats.flatMap((f) => f.endings).join(' ')}`;

/** A sentence where the first word is no command of the program. */
export function unknownCommand(program: string, word: string): string {
  const meant = commandsFor(word);
  const these = steps.filter(({ id, title, finds }) => [id, title, ...finds].some((each) => each.toLowerCase().startsWith(word.toLowerCase())));
  return [
    `There is no command "${word}".`,
    meant.length ? `It may be: ${meant.join(', ')}.` : '',
    these.length ? `Steps by that word: ${these.map(({ id }) => id).join(', ')} (${program} apply IN OUT --step ID).` : '',
    `All of them: ${program} --help.`,
  ]
    .filter(Boolean)
    .join(' ');
}
