/** Errors, and colours as screens have them. */

import '../zod-jitless';

export { LINEAR_OF_CODE, linearFromSrgb, srgbFromLinear } from '../colour';
export { ERROR_CODES, type ErrorCode } from '../error-codes';
export { sentenceOf, StoppedError, throwIfStopped, UplandError } from '../errors';
export { describeIssue } from '../issue';
export { grouped } from '../grouped';
