import { storeDemo } from './application';

/** Before the browser tests. */
export const setup = storeDemo;
