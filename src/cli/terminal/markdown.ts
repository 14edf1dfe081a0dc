import { safe } from './format.js';

/** Text as it may be in a Markdown table or list, whatever is in it. */
export const markdownText = (text: string): string =>
  safe(text.replaceAll('\n', ' ')).replaceAll(/[\\`*_{}[\]<>#|!~]/g, '\\$&');
