/** Trouble that the stand-in makes on purpose: with one in four requests, so that those who try again get through. */
export const STORE_FAULTS = ['429', '500', 'drop', 'slow'] as const;
export type StoreFault = (typeof STORE_FAULTS)[number];
