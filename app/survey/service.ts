import { inlineKernels } from '@upland-cast/core';
import { Desk, refusal as refused } from '../server/desk';
import { survey, type SurveyAnswer, type SurveyTask } from './work';

/** Milliseconds that a question may take, measured on one core: an extract 0.9 µs a sample, its file 0.5; a tile 40. */
function estimate(task: SurveyTask): number {
  if (task.kind === 'tile' || task.kind === 'range') return 40;
  const { width, depth, spacing } = task.frame;
  return 20 + (1.4e-3 * width * depth) / spacing ** 2;
}

const desk = () => new Desk<SurveyTask, SurveyAnswer>('survey', 'The survey', estimate);

/** What is there at once stays so while somebody else asks for much: the map's tiles, and extracts. */
const desks = { map: desk(), extracts: desk() };
const kernels = inlineKernels();

/** Answers in a thread beside the server's own; in place where its script is not there. */
export function askSurvey(task: SurveyTask): Promise<SurveyAnswer> {
  if (!process.env.UPLAND_WORK) return survey(task, kernels);
  return (task.kind === 'tile' || task.kind === 'range' ? desks.map : desks.extracts).ask(task);
}

/** An answer for what went wrong. */
export const refusal = (error: unknown): Response => refused(error, 'The survey could not answer. Ask again, or for a smaller frame.');
