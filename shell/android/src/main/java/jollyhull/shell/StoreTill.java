package jollyhull.shell;

import org.json.JSONObject;

/** Which store sells for this app. */
final class StoreTill {
    private StoreTill() {}

    /**
     * The store's side of purchases.
     *
     * <p>TO SELL FOR REAL, REPLACE THE LINE BELOW: write a class that implements {@link Till} with
     * the calls of the store's own billing library (add that library to app/build.gradle.kts), and
     * return it here. Its buy() launches the library's billing flow on the window that it is given,
     * and gives the purchase token; items(), purchases() and consume() ask the library. Nothing is
     * acknowledged here: the app's server does that, after it has checked the token.
     *
     * <p>As it is, it speaks to a stand-in for the store on a developer's computer, and to nothing
     * where the package names none: nobody pays.
     */
    static Till open(ShellSettings settings) {
        JSONObject shop = settings.shop;
        boolean isTest = shop != null && !shop.isNull("test");
        return new TestTill(
                isTest ? shop.optString("test") : null, isTest ? shop.optString("app") : "");
    }
}
