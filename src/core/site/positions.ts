/** A 1-based line and column, in UTF-16 units. */
export interface Position {
  readonly line: number;
  readonly column: number;
}

/** Finds lines and columns of many offsets in one text without reading it again for each. */
export class LineIndex {
  readonly #starts: number[] = [0];

  constructor(text: string) {
    for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) this.#starts.push(at + 1);
  }

  /** The place of a 0-based offset. */
  spot(offset: number): Position {
    let low = 0;
    let high = this.#starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.#starts[middle] as number) <= offset) low = middle;
      else high = middle - 1;
    }
    return { line: low + 1, column: offset - (this.#starts[low] as number) + 1 };
  }
}

/** A place inside an inline text, told as a place in the file that the text is in. */
export function within(start: Position, spot: Position): Position {
  return {
    line: start.line + spot.line - 1,
    column: spot.line === 1 ? start.column + spot.column - 1 : spot.column,
  };
}
