/** Whether something holds for an element; `maybe` where scripts, siblings or a user's doing decide it. */
export type Match = 'yes' | 'maybe' | 'no';

/** Whether all of them hold. */
export const all = (matches: readonly Match[]): Match =>
  matches.includes('no') ? 'no' : matches.includes('maybe') ? 'maybe' : 'yes';

/** Whether one of them holds. */
export const any = (matches: readonly Match[]): Match =>
  matches.includes('yes') ? 'yes' : matches.includes('maybe') ? 'maybe' : 'no';

export const opposite = (one: Match): Match => (one === 'yes' ? 'no' : one === 'no' ? 'yes' : 'maybe');
