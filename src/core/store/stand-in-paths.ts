/** Where pages reach the stand-ins for a store and for the app’s own server: below these paths of their own origin. */

export const SHOP_PATH = '/.well-known/hull-shop/';
/** The app's own server that checks purchases. */
export const BACKEND_PATH = '/api/';
