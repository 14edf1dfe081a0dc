import type { ResourceValue } from '../string-pool/value.js';
import {
  ANY_DENSITY,
  type ConfiguredValue,
  type ResourceConfig,
  type ResourceEntry,
  type ResourceTable,
  resourceId,
} from './types.js';

export interface FoundResource {
  readonly type: string;
  readonly entry: ResourceEntry;
}

/** The qualifiers that are distinguished here, as people write them. */
function configText({ locale, night, density, sdk }: ResourceConfig): string[] {
  return [
    ...(locale === undefined ? [] : [locale]),
    ...(night ? ['night'] : []),
    ...(density === undefined ? [] : [density === ANY_DENSITY ? 'any density' : `${density} dpi`]),
    ...(sdk === undefined ? [] : [`from API ${sdk}`]),
  ];
}

/** Resources of a table by ID. */
export class ResourceLookup {
  readonly #byId = new Map<number, FoundResource>();

  constructor(table: ResourceTable) {
    for (const item of table.packages) {
      for (const type of item.types) {
        for (const entry of type.entries) {
          this.#byId.set(resourceId(item.id, type.id, entry.index), { type: type.name, entry });
        }
      }
    }
  }

  find(id: number): FoundResource | undefined {
    return this.#byId.get(id);
  }

  /** `type/name` of an ID, as in `string/label`. */
  name(id: number): string | undefined {
    const found = this.#byId.get(id);
    return found && `${found.type}/${found.entry.name}`;
  }

  /**
   * Which resource each file is, by its path: `mipmap/icon, 160 dpi`. Files that would get the same name are left out; a file that
   * is several resources gets the name of the first.
   */
  files(): Map<string, string> {
    const paths = new Map<string, Set<string>>();
    for (const { type, entry } of this.#byId.values()) {
      for (const { config, value } of entry.values) {
        if (value.type !== 'string' || !value.text.startsWith('res/')) continue;
        const name = [`${type}/${entry.name}`, ...configText(config)].join(', ');
        paths.set(name, (paths.get(name) ?? new Set()).add(value.text));
      }
    }
    const names = new Map<string, string>();
    for (const [name, [path = '', ...others]] of paths) {
      if (others.length === 0 && !names.has(path)) names.set(path, name);
    }
    return names;
  }

  /**
   * Every value that an ID leads to in the end, with the configuration it was found under. A resource is visited
   * once, so that a hostile circle of references ends.
   */
  values(id: number, visited: Set<number> = new Set()): ConfiguredValue[] {
    if (visited.has(id)) return [];
    visited.add(id);
    return (this.#byId.get(id)?.entry.values ?? []).flatMap((item) => {
      if (item.value.type !== 'reference') return [item];
      return this.values(item.value.id, visited).map((inner) => ({
        config: { ...item.config, ...inner.config },
        value: inner.value,
      }));
    });
  }

  /** The plain value for a device without particular qualifiers: the default configuration's, else the first. */
  resolve(value: ResourceValue): ResourceValue {
    if (value.type !== 'reference') return value;
    const all = this.values(value.id);
    const chosen = all.find((item) => Object.keys(item.config).length === 0) ?? all[0];
    return chosen === undefined || chosen.value.type === 'bag' ? value : chosen.value;
  }
}
