/** Where hosts serve the documents (RFC 8615). */
export const ASSET_LINKS_PATH = '/.well-known/assetlinks.json';
export const APPLE_PATH = '/.well-known/apple-app-site-association';
export const ORIGIN_PATH = '/.well-known/web-app-origin-association';

/** Relations (Digital Asset Links, "relation strings"). */
export const LINK_RELATION = 'delegate_permission/common.handle_all_urls';
export const CREDENTIALS_RELATION = 'delegate_permission/common.get_login_creds';
