/** Values that are made once for an owner and a key, and kept for as long as the owner is there. */
export class Kept<Owner extends object, Key, Value> {
  readonly #byOwner = new WeakMap<Owner, Map<Key, Value>>();

  get(owner: Owner, key: Key, make: () => Value): Value {
    const known = this.#byOwner.get(owner) ?? new Map<Key, Value>();
    this.#byOwner.set(owner, known);
    if (!known.has(key)) known.set(key, make());
    return known.get(key) as Value;
  }
}
