/** From one kind of grain to the next in the fourth byte of the ground's colours. */
export const GRAIN_CODE = 40;
