/** Rules in their order, found by what the text that they are about begins with. */
export interface IndexedRule {
  /** What a text has to begin with for the rule to be tried at all. */
  readonly prefix: string;
}

interface Node {
  /** Rules whose prefix ends here, by their number. */
  readonly rules: number[];
  readonly next: Map<number, Node>;
}

const newNode = (): Node => ({ rules: [], next: new Map() });

/**
 * Finds the first of many rules that holds. Only those are tried whose prefix the text begins with, in their order; so a
 * thousand rules cost hardly more than the few that begin alike.
 */
export class RuleIndex<R extends IndexedRule> {
  readonly #rules: readonly R[];
  readonly #root = newNode();

  constructor(rules: readonly R[]) {
    this.#rules = rules;
    rules.forEach(({ prefix }, index) => {
      let node = this.#root;
      for (let at = 0; at < prefix.length; at += 1) {
        const letter = prefix.charCodeAt(at);
        let next = node.next.get(letter);
        if (next === undefined) {
          next = newNode();
          node.next.set(letter, next);
        }
        node = next;
      }
      node.rules.push(index);
    });
  }

  /** The first rule in order that holds, of those that the text comes into question for. */
  first(text: string, holds: (rule: R) => boolean): R | undefined {
    const candidates: number[] = [];
    let node: Node | undefined = this.#root;
    for (let at = 0; node !== undefined; at += 1) {
      for (const index of node.rules) candidates.push(index);
      node = at < text.length ? node.next.get(text.charCodeAt(at)) : undefined;
    }
    if (candidates.length > 1) candidates.sort((a, b) => a - b);
    for (const index of candidates) {
      const rule = this.#rules[index] as R;
      if (holds(rule)) return rule;
    }
    return undefined;
  }
}
