/** Errors, and colours as screens have them. */

import '../zod-jitless';

export { LINEAR_OF_CODE, linearFromSrgb, srgbFromLinear } from '../colour';
export { sentenceOf, StoppedError, throwIfStopped, UplandError } from '../errors';
export { issueInWords } from '../issue';
