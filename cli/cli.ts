import { inspectCommand } from './commands/inspect';
import { convertCommand } from './commands/convert';
import { applyCommand } from './commands/apply';
import { deriveCommand } from './commands/derive';
import { runCommand } from './commands/run';
import { orderCommand } from './commands/order';
import { meshCommand, pressCommand } from './commands/mesh';
import { compareCommand } from './commands/compare';
import { measureCommand } from './commands/measure';
import { worldCommand, workerCommand, worldStatusCommand } from './commands/world';
import { startsCommand } from './commands/starts';
import { stepsCommand } from './commands/steps';
import { completionCommand, completionServer } from './commands/completion';
import { endings, unknownCommand } from './help';
import { runProgram } from './program';

/** Every command by its name. The build makes a file of each by itself too, from this list. */
const COMMANDS = {
  inspect: inspectCommand,
  convert: convertCommand,
  apply: applyCommand,
  derive: deriveCommand,
  run: runCommand,
  order: orderCommand,
  mesh: meshCommand,
  press: pressCommand,
  compare: compareCommand,
  measure: measureCommand,
  world: worldCommand,
  worker: workerCommand,
  'world-status': worldStatusCommand,
  starts: startsCommand,
  steps: stepsCommand,
  completion: completionCommand,
};

await runProgram(COMMANDS, { endings, unknownCommand, completionServer });
