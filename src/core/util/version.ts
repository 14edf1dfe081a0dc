/** Put in when the program is bundled; from sources it is unknown. */
declare const HULL_VERSION: string | undefined;

export const VERSION: string = typeof HULL_VERSION === 'string' ? HULL_VERSION : '0.0.0-sources';
