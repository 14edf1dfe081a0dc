import type { ResourceValue } from '../string-pool/value.js';
import { type ConfiguredValue, type ResourceEntry, type ResourceTable, resourceId } from './types.js';

export interface FoundResource {
  readonly type: string;
  readonly entry: ResourceEntry;
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
