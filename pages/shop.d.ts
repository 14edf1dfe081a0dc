/** Sells what the app has in its catalog, through the payment of the store that the app came from. Made by Jolly Hull; yours to edit. */

/** The payment method of the Android store. */
export declare const STORE: string;

export interface ShopOptions {
  /** Address of your server, which checks a purchase and grants it. */
  readonly verify: string;
  /** Payment method of the store; by default {@link STORE}. */
  readonly method?: string;
}

export interface ShopItem {
  readonly id: string;
  readonly title: string;
  readonly description: string;
  /** As the buyer's language writes it. */
  readonly price: string;
  readonly isSubscription: boolean;
  /** ISO 8601 duration, of subscriptions. */
  readonly period?: string;
  readonly trial?: string;
  readonly introduction?: string;
}

export type Bought =
  | { readonly is: 'granted' | 'pending' | 'cancelled' }
  | { readonly is: 'failed'; readonly why: string };

/** The shop of this app; `undefined` where pages are shown by something that cannot sell. */
export declare function openShop(options: ShopOptions): Promise<Shop | undefined>;

export declare class Shop {
  private constructor();
  /** What is for sale, with texts and prices from the store. */
  items(ids: readonly string[]): Promise<ShopItem[]>;
  /** Sells one item: the store asks the buyer, your server checks the purchase. */
  buy(id: string): Promise<Bought>;
  /** Gives back what was bought before; call it at each start. Returns the IDs that the server granted. */
  restore(): Promise<string[]>;
}
