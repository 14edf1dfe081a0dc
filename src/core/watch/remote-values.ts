import { isObject, type JsonObject } from '../util/json-object.js';

/** Values of a page as its inspection gives them (`Runtime.RemoteObject`), in words. */

const LONGEST = 2000;

const text = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined);

function inPreview(value: unknown): string {
  if (!isObject(value)) return '';
  const { name, type, value: shown } = value;
  const own = type === 'string' ? JSON.stringify(shown) : (text(shown) ?? String(type));
  return name === undefined ? own : `${String(name)}: ${own}`;
}

function fromPreview(preview: JsonObject): string {
  const properties = Array.isArray(preview.properties) ? preview.properties : [];
  const more = preview.overflow === true ? ', …' : '';
  if (preview.subtype === 'array')
    return `[${properties.map((one) => (isObject(one) ? inPreview({ ...one, name: undefined }) : '')).join(', ')}${more}]`;
  return `{${properties.map(inPreview).join(', ')}${more}}`;
}

/** One value: a string as it is, an object by what its preview shows. */
export function remoteText(value: unknown): string {
  if (!isObject(value)) return '';
  if (value.type === 'string') return text(value.value) ?? '';
  if (value.type === 'undefined') return 'undefined';
  if (value.subtype === 'error' || value.type === 'function') return text(value.description) ?? '';
  if (isObject(value.preview)) return fromPreview(value.preview);
  if (text(value.unserializableValue) !== undefined) return value.unserializableValue as string;
  return value.value === undefined ? (text(value.description) ?? '') : String(value.value);
}

/** What a call of `console` says, with its own formats (Console Standard, "formatter") taken as it takes them. */
export function consoleText(values: readonly unknown[]): string {
  const [first, ...rest] = values;
  if (!isObject(first) || first.type !== 'string' || !/%[sdifoOc]/.test(text(first.value) ?? ''))
    return values.map(remoteText).join(' ').slice(0, LONGEST);
  const left = [...rest];
  const formatted = (text(first.value) ?? '').replaceAll(/%([sdifoOc%])/g, (whole, kind: string) => {
    if (kind === '%') return '%';
    if (left.length === 0) return whole;
    const value = left.shift();
    return kind === 'c' ? '' : remoteText(value);
  });
  return [formatted, ...left.map(remoteText)].join(' ').slice(0, LONGEST);
}
