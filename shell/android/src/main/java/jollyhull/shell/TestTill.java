package jollyhull.shell;

import android.app.Activity;
import android.app.AlertDialog;
import android.content.DialogInterface;
import android.net.Uri;
import android.os.Handler;
import android.os.Looper;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.HttpURLConnection;
import java.net.URL;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;

/** A stand-in for the store, on a developer's computer: nobody pays, and its sheet says so. */
final class TestTill implements Till {
    private static final String[] CHOICES = {
        "Buy (nobody pays)", "Pay later", "Card is declined", "Cancel"
    };
    private static final String[] OUTCOMES = {"bought", "pending"};
    private static final int TIMEOUT_MS = 15_000;

    private final String address;
    private final String app;

    /**
     * @param address of the stand-in; null for none
     * @param app as the store names it
     */
    TestTill(String address, String app) {
        this.address = address;
        this.app = app;
    }

    @Override
    public boolean isOpen() {
        return address != null;
    }

    @Override
    public void items(final List<String> ids, final Answer<List<Item>> answer) {
        run(
                answer,
                new Call<List<Item>>() {
                    @Override
                    public List<Item> make() throws IOException, JSONException {
                        return read(ids);
                    }
                });
    }

    private List<Item> read(List<String> ids) throws IOException, JSONException {
        StringBuilder list = new StringBuilder();
        for (String id : ids) {
            list.append(list.length() == 0 ? "" : ",").append(id);
        }
        JSONArray found =
                new JSONArray(
                        ask(
                                "items?ids="
                                        + Uri.encode(list.toString())
                                        + "&language="
                                        + Uri.encode(Locale.getDefault().toLanguageTag()),
                                null));
        List<Item> items = new ArrayList<Item>();
        for (int i = 0; i < found.length(); i++) {
            items.add(item(found.getJSONObject(i)));
        }
        return items;
    }

    private static Item item(JSONObject json) throws JSONException {
        Item item = new Item();
        item.id = json.getString("itemId");
        item.title = json.optString("title");
        item.description = json.optString("description");
        item.currency = json.getJSONObject("price").getString("currency");
        item.value = json.getJSONObject("price").getString("value");
        item.isSubscription = "subscription".equals(json.optString("type"));
        item.period = textOf(json, "subscriptionPeriod");
        item.trial = textOf(json, "freeTrialPeriod");
        JSONObject first = json.optJSONObject("introductoryPrice");
        if (first != null) {
            item.introductionCurrency = first.getString("currency");
            item.introductionValue = first.getString("value");
            item.introductionPeriod = textOf(json, "introductoryPricePeriod");
            item.introductionCycles = json.optInt("introductoryPriceCycles");
        }
        return item;
    }

    private static String textOf(JSONObject json, String key) {
        return json.isNull(key) ? null : json.optString(key);
    }

    @Override
    public void purchases(final Answer<List<Purchase>> answer) {
        run(
                answer,
                new Call<List<Purchase>>() {
                    @Override
                    public List<Purchase> make() throws IOException, JSONException {
                        JSONArray found = new JSONArray(ask("purchases", null));
                        List<Purchase> purchases = new ArrayList<Purchase>();
                        for (int i = 0; i < found.length(); i++) {
                            JSONObject one = found.getJSONObject(i);
                            purchases.add(
                                    new Purchase(
                                            one.getString("itemId"),
                                            one.getString("purchaseToken")));
                        }
                        return purchases;
                    }
                });
    }

    @Override
    public void buy(final Activity window, final String id, final Answer<String> answer) {
        List<String> ids = new ArrayList<String>();
        ids.add(id);
        final Handler main = new Handler(Looper.getMainLooper());
        items(
                ids,
                new Answer<List<Item>>() {
                    @Override
                    public void give(final int code, final List<Item> found) {
                        main.post(
                                new Runnable() {
                                    @Override
                                    public void run() {
                                        if (code != OK) {
                                            answer.give(code, null);
                                        } else if (found.isEmpty()) {
                                            answer.give(NO_SUCH_ITEM, null);
                                        } else {
                                            choose(window, found.get(0), answer);
                                        }
                                    }
                                });
                    }
                });
    }

    /** The sheet: a buyer's decision, and what a tester wants to become of it. */
    private void choose(Activity window, final Item item, final Answer<String> answer) {
        if (window.isFinishing()) {
            answer.give(CANCELLED, null);
            return;
        }
        new AlertDialog.Builder(window)
                .setTitle(
                        "A stand-in for the store: "
                                + item.title
                                + ", "
                                + item.value
                                + " "
                                + item.currency)
                .setItems(
                        CHOICES,
                        new DialogInterface.OnClickListener() {
                            @Override
                            public void onClick(DialogInterface dialog, int which) {
                                if (which < OUTCOMES.length) {
                                    pay(item.id, OUTCOMES[which], answer);
                                } else {
                                    answer.give(which == OUTCOMES.length ? ERROR : CANCELLED, null);
                                }
                            }
                        })
                .setOnCancelListener(
                        new DialogInterface.OnCancelListener() {
                            @Override
                            public void onCancel(DialogInterface dialog) {
                                answer.give(CANCELLED, null);
                            }
                        })
                .show();
    }

    private void pay(final String id, final String outcome, Answer<String> answer) {
        run(
                answer,
                new Call<String>() {
                    @Override
                    public String make() throws IOException, JSONException {
                        String body =
                                new JSONObject().put("id", id).put("outcome", outcome).toString();
                        return new JSONObject(ask("buy", body)).getString("token");
                    }
                });
    }

    @Override
    public void consume(final String token, Answer<Void> answer) {
        run(
                answer,
                new Call<Void>() {
                    @Override
                    public Void make() throws IOException, JSONException {
                        ask("consume", new JSONObject().put("token", token).toString());
                        return null;
                    }
                });
    }

    private interface Call<T> {
        T make() throws IOException, JSONException;
    }

    /** Network calls are not made on the thread that asks. */
    private <T> void run(final Answer<T> answer, final Call<T> call) {
        if (address == null) {
            answer.give(CLOSED, null);
            return;
        }
        new Thread("till") {
            @Override
            public void run() {
                T made;
                try {
                    made = call.make();
                } catch (IOException | JSONException e) {
                    answer.give(ERROR, null);
                    return;
                }
                answer.give(OK, made);
            }
        }.start();
    }

    /**
     * @param body null to read
     */
    private String ask(String path, String body) throws IOException {
        HttpURLConnection connection =
                (HttpURLConnection)
                        new URL(address + "/shop/" + Uri.encode(app) + "/" + path).openConnection();
        connection.setConnectTimeout(TIMEOUT_MS);
        connection.setReadTimeout(TIMEOUT_MS);
        try {
            if (body != null) {
                connection.setDoOutput(true);
                connection.setRequestProperty("Content-Type", "application/json");
                OutputStream out = connection.getOutputStream();
                try {
                    out.write(body.getBytes(StandardCharsets.UTF_8));
                } finally {
                    out.close();
                }
            }
            InputStream in = connection.getInputStream();
            try {
                return ShellSettings.readText(in);
            } finally {
                in.close();
            }
        } finally {
            connection.disconnect();
        }
    }
}
