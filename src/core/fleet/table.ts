import { readFileSync } from 'node:fs';
import { parse } from 'csv-parse/sync';
import { HullError, type Location } from '../errors.js';
import { nearest } from '../project/nearest.js';
import { isObject, type JsonObject } from '../util/json-object.js';
import { packagedPath } from '../util/packaged.js';
import type { Layer } from './layers.js';
import { mergePatch, patchAt } from './merge-patch.js';

/** Names of brands; folders are named after them. */
const NAME = /^[a-z0-9][a-z0-9-]{0,63}$/;

/** The column that names the brand of a row. */
const BRAND = 'brand';
const FIX = 'docs/fleet.md describes tables.';

/** What values a setting has, by the schema of hull.json; `undefined` where there is no such setting. */
function typeOf(schema: JsonObject, pointer: string): string | undefined {
  let node: unknown = schema;
  for (const step of pointer.split('/').slice(1)) {
    if (!isObject(node)) return undefined;
    const { properties, additionalProperties } = node;
    node = isObject(properties) && isObject(properties[step]) ? properties[step] : additionalProperties;
  }
  if (!isObject(node)) return undefined;
  return typeof node.type === 'string' ? node.type : 'string';
}

/** Pointers of the settings that a schema names. */
function* settingsOf(schema: JsonObject, pointer = ''): Generator<string> {
  for (const [name, inner] of Object.entries(isObject(schema.properties) ? schema.properties : {})) {
    if (!isObject(inner)) continue;
    yield `${pointer}/${name}`;
    yield* settingsOf(inner, `${pointer}/${name}`);
  }
}

/** A cell as the value of its setting: text as it is, everything else as JSON; nothing where it is empty. */
function cellValue(cell: string, type: string, location: Location): unknown {
  if (type === 'string') return cell;
  try {
    return JSON.parse(cell);
  } catch {
    throw new HullError('fleet.bad-table', `"${cell}" is not a value of the type ${type}.`, {
      location,
      fix: FIX,
    });
  }
}

interface Row {
  readonly record: readonly string[];
  readonly info: { readonly lines: number };
}

/**
 * Reads a table of brands: RFC 4180, with a heading. Its columns are settings of hull.json by JSON pointer; an empty cell says nothing.
 *
 * @returns the layer of each brand
 * @throws HullError `fleet.bad-table`
 */
export function readTable(file: string, text: string): ReadonlyMap<string, Layer> {
  let rows: Row[];
  try {
    rows = parse(text, { bom: true, info: true, skip_empty_lines: true, trim: true }) as unknown as Row[];
  } catch (error) {
    const line = (error as { lines?: number }).lines;
    throw new HullError('fleet.bad-table', `The table cannot be read: ${(error as Error).message}.`, {
      location: { file, ...(line === undefined ? {} : { line, column: 1 }) },
      fix: FIX,
    });
  }
  const [heading, ...body] = rows;
  const columns = heading?.record ?? [];
  const at = columns.indexOf(BRAND);
  if (at < 0) {
    throw new HullError('fleet.bad-table', `The table has no column "${BRAND}".`, {
      location: { file, line: 1, column: 1 },
      fix: FIX,
    });
  }
  const schema = JSON.parse(readFileSync(packagedPath('schema/hull.schema.json'), 'utf8')) as JsonObject;
  const types = columns.map((column) => (column === BRAND ? undefined : typeOf(schema, column)));
  const unknown = columns.find((column, index) => column !== BRAND && types[index] === undefined);
  if (unknown !== undefined) {
    const known = nearest(unknown, [...settingsOf(schema)]);
    throw new HullError('fleet.bad-table', `hull.json has no setting "${unknown}".`, {
      location: { file, line: 1, column: 1 },
      fix: known === undefined ? FIX : `Did you mean "${known}"?`,
    });
  }
  const layers = new Map<string, Layer>();
  for (const { record, info } of body) {
    const name = record[at] ?? '';
    const place = (pointer: string): Location => ({ file, pointer, line: info.lines, column: 1 });
    if (!NAME.test(name)) {
      throw new HullError('fleet.bad-table', `"${name}" is not the name of a brand.`, {
        location: place(''),
        fix: 'Use small letters, digits and hyphens, as in heron-point.',
      });
    }
    if (layers.has(name)) {
      throw new HullError('fleet.bad-table', `The brand "${name}" has two rows.`, {
        location: place(''),
        fix: FIX,
      });
    }
    const patch = columns.reduce<unknown>((merged, column, index) => {
      const cell = record[index] ?? '';
      const type = types[index];
      return type === undefined || cell === ''
        ? merged
        : mergePatch(merged, patchAt(column, cellValue(cell, type, place(column))));
    }, {});
    layers.set(name, { patch, location: place, locationOfKey: place });
  }
  return layers;
}
