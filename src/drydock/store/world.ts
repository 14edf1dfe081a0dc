import { percent } from '../../core/store/release/tracks.js';
import type { Books } from './books.js';
import { buildsKey, type Release, type StoredEdit } from './model.js';
import type { Notifier } from './notifications.js';
import { Orders } from './orders.js';

export interface WorldOptions {
  readonly books: Books;
  /** ms that a review takes; `undefined` where a person decides on the page. */
  readonly review: number | undefined;
  /** Why every release is rejected; `undefined` where they are approved. */
  readonly reject: string | undefined;
  readonly onEvent: (text: string) => void;
  readonly notifier: Notifier;
}

const STATUS_WORDS: Readonly<Record<Release['status'], string>> = {
  draft: 'a draft',
  inProgress: 'rolling out',
  halted: 'halted',
  completed: 'for all users',
};

/** The store's own side: its clock, its reviews, what it notes. */
export class World {
  readonly books: Books;
  readonly orders: Orders;
  readonly #options: WorldOptions;
  /** ms that its clock is ahead. */
  #ahead = 0;
  #timer: NodeJS.Timeout | undefined;

  constructor(options: WorldOptions) {
    this.books = options.books;
    this.#options = options;
    this.orders = new Orders({
      books: options.books,
      now: () => this.now(),
      note: (text) => this.note(text),
      notify: (_app, notification) => options.notifier.send(notification),
    });
    // Reviews that were under way when the stand-in was stopped.
    this.#schedule();
  }

  now(): number {
    return Date.now() + this.#ahead;
  }

  passTime(days: number): void {
    this.#ahead += days * 86_400_000;
    this.note(`${days} days go by`);
    for (const { id } of this.books.apps()) this.orders.owned(id);
    this.#review();
  }

  note(text: string): void {
    this.books.note(this.now(), text);
    this.#options.onEvent(text);
  }

  commit(edit: StoredEdit, reviewed: 'in review' | 'not sent'): void {
    const { review } = this.#options;
    const before = this.books.app(edit.app)?.state;
    this.books.commit(edit, this.now(), review === undefined ? null : this.now() + review, reviewed);
    for (const [track, releases] of Object.entries(edit.state.tracks)) {
      const old = before?.tracks[track] ?? [];
      for (const release of releases) {
        const was = old.find((one) => buildsKey(one) === buildsKey(release));
        const share = release.userFraction === undefined ? '' : `, ${percent(release.userFraction)}`;
        if (was?.status !== release.status || was.userFraction !== release.userFraction)
          this.note(
            `${edit.app}: build ${buildsKey(release)} on ${track} is ${STATUS_WORDS[release.status]}${share}`,
          );
      }
    }
    this.#schedule();
  }

  /** Puts a build of Apple's store into the queue. */
  review(app: string, track: string, builds: string): void {
    const { review } = this.#options;
    const since = this.now();
    this.books.addReview(app, { track, builds, since, due: review === undefined ? null : since + review });
    this.note(`${app}: build ${builds} for ${track} is in review`);
    this.#schedule();
  }

  /** A person's decision, or that of time. @param reason of a rejection */
  decide(app: string, track: string, builds: string, reason: string | null): void {
    this.books.decide(app, { track, builds }, reason);
    this.note(
      `${app}: build ${builds} on ${track} is ${reason === null ? 'approved and published' : `rejected: ${reason}`}`,
    );
  }

  #schedule(): void {
    clearTimeout(this.#timer);
    const due = this.books.waiting().flatMap((one) => (one.due === null ? [] : [one.due]));
    if (due.length === 0) return;
    this.#timer = setTimeout(() => this.#review(), Math.max(0, Math.min(...due) - this.now()));
    this.#timer.unref();
  }

  #review(): void {
    for (const { app, track, builds, due } of this.books.waiting()) {
      if (due !== null && due <= this.now()) this.decide(app, track, builds, this.#options.reject ?? null);
    }
    this.#schedule();
  }

  close(): void {
    clearTimeout(this.#timer);
  }
}
