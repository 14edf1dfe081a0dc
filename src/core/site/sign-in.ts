/**
 * Requests to sign in at another host, by the parameters that they all have (OAuth 2.0, RFC 6749, section 4.1.1): in an
 * address, or as names that a script puts one together of.
 */
const NEEDED = ['response_type', 'client_id', 'redirect_uri'] as const;

/** Whether an address asks somebody else to sign the user in: it is not one of the page's own host, as far as it shows. */
export function isSignInAddress(text: string): boolean {
  if (text.length > 10_000 || /^\/(?!\/)/.test(text)) return false;
  return NEEDED.slice(0, 2).every((name) => new RegExp(`[?&]${name}=`).test(text));
}

/** Whether an object of a script has what such a request takes. */
export const isSignInRequest = (names: ReadonlySet<string>): boolean =>
  NEEDED.every((name) => names.has(name));

/** Name of the parameter by which a request is known that is put together one by one. */
export const SIGN_IN_PARAMETER = NEEDED[0];
