package jollyhull.shell;

import android.app.Activity;

import java.util.List;

/**
 * The store's side of purchases: what pages ask through the browser, asked of a store. {@link
 * StoreTill} says which one it is.
 */
interface Till {
    /** Outcomes, with the numbers that browsers know. */
    int OK = 0;

    int CANCELLED = 1;
    int CLOSED = 3;
    int NO_SUCH_ITEM = 4;
    int ERROR = 6;
    int OWNED = 7;
    int NOT_OWNED = 8;

    /** Given once, on any thread; the value counts where the code is {@link #OK}. */
    interface Answer<T> {
        void give(int code, T value);
    }

    /** What is for sale. Money as a decimal number in text, durations as ISO 8601 writes them. */
    final class Item {
        String id = "";
        String title = "";
        String description = "";
        String currency = "";
        String value = "";
        boolean isSubscription;

        /** Null where there is none, as for the ones below. */
        String period;

        String trial;
        String introductionCurrency;
        String introductionValue;
        String introductionPeriod;
        int introductionCycles;
    }

    final class Purchase {
        final String id;
        final String token;

        Purchase(String id, String token) {
            this.id = id;
            this.token = token;
        }
    }

    /** Whether anything can be bought on this device now. */
    boolean isOpen();

    void items(List<String> ids, Answer<List<Item>> answer);

    /** What the user has, and has not used up. */
    void purchases(Answer<List<Purchase>> answer);

    /** Shows the store's own sheet over a window, and gives the token of the purchase. */
    void buy(Activity window, String id, Answer<String> answer);

    /** Uses up what can then be bought again. */
    void consume(String token, Answer<Void> answer);
}
