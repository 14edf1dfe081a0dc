/**
 * Which token ends the block that each token is in. The parser works this out with memory that it keeps from sheet to
 * sheet: behind what broken sheets leave there, it takes a block for closed that never was open, reads another sheet than
 * the one it was given, or never ends. Here the same is computed from the tokens alone, and put in its place.
 */

/** Types of tokens that open a block, each with the one that closes it (CSS Syntax Level 3; numbers of the parser's tokens). */
const CLOSED_BY: Readonly<Record<number, number>> = { 2: 22, 19: 20, 21: 22, 23: 24 };

/** What the parser tells of the tokens that it has cut a sheet into, before it reads them. */
export interface TokenList {
  readonly tokenCount: number;
  /** For each token, and for the end: the parser's own list, which is put right. */
  readonly balance: Uint32Array;
}

/** Takes the tokens one by one, in their order; the last one puts the list right. */
export function balanceMender(): (
  this: TokenList,
  type: number,
  start: number,
  end: number,
  index: number,
) => void {
  const openers: number[] = [];
  const closers: number[] = [];
  return function (type, _start, _end, index) {
    const { balance, tokenCount } = this;
    const opener = openers.at(-1) ?? tokenCount;
    balance[index] = opener;
    if (openers.length > 0 && type === closers.at(-1)) {
      balance[opener] = index;
      openers.pop();
      closers.pop();
    } else {
      const closer = CLOSED_BY[type];
      if (closer !== undefined) {
        openers.push(index);
        closers.push(closer);
      }
    }
    if (index === tokenCount - 1) settle(balance, tokenCount);
  };
}

/** From the block's start to its end: closers alone go on pointing back. */
function settle(balance: Uint32Array, tokenCount: number): void {
  balance[tokenCount] = tokenCount;
  for (let index = 0; index < tokenCount; index += 1) {
    const start = balance[index] as number;
    if (start > index) continue;
    const end = balance[start] as number;
    if (end !== index) balance[index] = end;
  }
}
