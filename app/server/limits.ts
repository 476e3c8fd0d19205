/** What the server takes on; the figures stand in `docs/architecture.md`, "On the server". */

/** Bytes of a project that comes with an order. */
export const MOST_BYTES = 512 * 2 ** 20;
/** Milliseconds that one order may take. */
export const MOST_TIME = 30 * 60_000;
/** One order runs, and so many wait. */
export const MOST_WAITING = 2;
/** Samples of one ground. */
export const MOST_SAMPLES = 16_385 * 16_385;
/** Bytes of all files of an order. */
export const MOST_WRITTEN = 32 * 2 ** 30;
/** Share of the machine's memory that one order may take. */
export const MEMORY_SHARE = 0.6;

/** Questions to the survey that wait at one of its two desks. */
export const MOST_QUESTIONS = 24;
/** Milliseconds within which a question is answered or refused. */
export const QUESTION_PATIENCE = 4_000;
/** Milliseconds after which a question is given up, and its thread with it. */
export const QUESTION_TIME = 30_000;
