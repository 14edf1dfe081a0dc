package jollyhull.shell;

import android.os.Bundle;
import android.os.Parcelable;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * What pages ask about goods (Digital Goods API, draft of the W3C's community group), as browsers
 * hand it to the app: an extra command of the delegation service with a name, and the answer as a
 * call back with another.
 */
final class DigitalGoods {
    static final String DETAILS = "getDetails";
    static final String PURCHASES = "listPurchases";
    static final String HISTORY = "listPurchaseHistory";
    static final String CONSUME = "consume";

    static final String RESPONSE = ".response";
    static final String CODE = ".responseCode";

    /** From this version on, codes of answers are those of {@link Till}. */
    private static final int VERSION = 1;

    /** Where answers go. */
    interface Reply {
        void tell(String name, Bundle answer);
    }

    private DigitalGoods() {}

    static boolean knows(String command) {
        return command.equals(DETAILS)
                || command.equals(PURCHASES)
                || command.equals(HISTORY)
                || command.equals(CONSUME);
    }

    static void answer(Till till, final String command, Bundle arguments, final Reply reply) {
        if (command.equals(DETAILS)) {
            String[] ids = arguments.getStringArray(DETAILS + ".itemIds");
            till.items(
                    ids == null ? new ArrayList<String>() : Arrays.asList(ids),
                    new Till.Answer<List<Till.Item>>() {
                        @Override
                        public void give(int code, List<Till.Item> items) {
                            Bundle bundle = outcome(command, code);
                            if (code == Till.OK) {
                                bundle.putParcelableArray(command + ".detailsList", details(items));
                            }
                            reply.tell(command + RESPONSE, bundle);
                        }
                    });
        } else if (command.equals(CONSUME)) {
            till.consume(
                    String.valueOf(arguments.getString(CONSUME + ".purchaseToken")),
                    new Till.Answer<Void>() {
                        @Override
                        public void give(int code, Void nothing) {
                            reply.tell(command + RESPONSE, outcome(command, code));
                        }
                    });
        } else {
            till.purchases(
                    new Till.Answer<List<Till.Purchase>>() {
                        @Override
                        public void give(int code, List<Till.Purchase> purchases) {
                            Bundle bundle = outcome(command, code);
                            if (code == Till.OK) {
                                bundle.putParcelableArray(
                                        command + ".purchasesList", described(purchases));
                            }
                            reply.tell(command + RESPONSE, bundle);
                        }
                    });
        }
    }

    private static Bundle outcome(String command, int code) {
        Bundle bundle = new Bundle();
        bundle.putInt("digitalgoods.version", VERSION);
        bundle.putInt(command + CODE, code);
        return bundle;
    }

    private static Parcelable[] details(List<Till.Item> items) {
        Parcelable[] all = new Parcelable[items.size()];
        for (int i = 0; i < all.length; i++) {
            Till.Item item = items.get(i);
            Bundle bundle = new Bundle();
            bundle.putString("itemDetails.id", item.id);
            bundle.putString("itemDetails.title", item.title);
            bundle.putString("itemDetails.description", item.description);
            bundle.putString("itemDetails.currency", item.currency);
            bundle.putString("itemDetails.value", item.value);
            bundle.putString("itemDetails.type", item.isSubscription ? "subs" : "inapp");
            if (item.period != null) {
                bundle.putString("itemDetails.subsPeriod", item.period);
            }
            if (item.trial != null) {
                bundle.putString("itemDetails.freeTrialPeriod", item.trial);
            }
            if (item.introductionValue != null) {
                bundle.putString("itemDetails.introCurrency", item.introductionCurrency);
                bundle.putString("itemDetails.introValue", item.introductionValue);
                bundle.putString("itemDetails.introPeriod", item.introductionPeriod);
                bundle.putInt("itemDetails.introCycles", item.introductionCycles);
            }
            all[i] = bundle;
        }
        return all;
    }

    private static Parcelable[] described(List<Till.Purchase> purchases) {
        Parcelable[] all = new Parcelable[purchases.size()];
        for (int i = 0; i < all.length; i++) {
            Bundle bundle = new Bundle();
            bundle.putString("purchaseDetails.itemId", purchases.get(i).id);
            bundle.putString("purchaseDetails.purchaseToken", purchases.get(i).token);
            all[i] = bundle;
        }
        return all;
    }
}
