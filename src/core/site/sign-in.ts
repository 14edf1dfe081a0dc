/**
 * Requests to sign in at another host, by the parameters that they all have (OAuth 2.0, RFC 6749, section 4.1.1): in an
 * address, or as names that a script puts one together of.
 */
const NEEDED = ['client_id', 'response_type', 'redirect_uri'] as const;
const IN_ADDRESS = [/[?&]client_id=/, /[?&]response_type=/];

/** Whether an address asks somebody else to sign the user in: it is not one of the page's own host, as far as it shows. */
export function isSignInAddress(text: string): boolean {
  // Asked of every text of every script: nearly all end here.
  if (!text.includes('client_id=') || text.length > 10_000 || /^\/(?!\/)/.test(text)) return false;
  return IN_ADDRESS.every((parameter) => parameter.test(text));
}

/** Whether an object of a script has what such a request takes. @param has whether it has a property of a name */
export const isSignInRequest = (has: (name: string) => boolean): boolean => NEEDED.every(has);

/** Name of the parameter by which a request is known that is put together one by one. */
export const SIGN_IN_PARAMETER = 'response_type';
