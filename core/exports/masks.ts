/** Where a step acts. */

import '../zod-jitless';

export { maskById, maskKinds } from '../masks';
