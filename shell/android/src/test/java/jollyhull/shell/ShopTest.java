package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Activity;
import android.app.AlertDialog;
import android.app.Application;
import android.content.Intent;
import android.content.pm.ApplicationInfo;
import android.content.pm.PackageInfo;
import android.content.pm.Signature;
import android.os.Binder;
import android.os.Bundle;
import android.os.IBinder;
import android.os.Looper;
import android.os.Parcel;
import android.os.Parcelable;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;

import org.json.JSONArray;
import org.json.JSONObject;
import org.junit.After;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;
import org.robolectric.shadows.ShadowAlertDialog;
import org.robolectric.shadows.ShadowBinder;
import org.robolectric.shadows.ShadowDialog;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;

/**
 * Purchases of pages in a browser: what the browser asks the app, transaction by transaction, and
 * what the app asks a store on the other side of a socket.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class ShopTest {
    private static final int BROWSER_UID = 10_077;
    private static final String BROWSER = "browser.one";
    private static final String METHOD = "https://play.google.com/billing";
    private static final String APP = "example.saltmarsh.ferry";

    private static String address;
    private static boolean sells;

    private final Application app = RuntimeEnvironment.getApplication();
    private final List<String> asked = new ArrayList<>();
    private final List<String> consumed = new ArrayList<>();
    private HttpServer store;
    private int status = 200;
    private IBinder service;

    private static ShellSettings packaged() {
        try {
            JSONObject json = TestSite.json("/", true);
            if (sells) {
                json.put("shop", new JSONObject().put("app", APP).put("test", address));
            }
            return TestSite.parse(json.toString());
        } catch (Exception e) {
            throw new AssertionError(e);
        }
    }

    /** The delegation service of a package that sells. */
    public static final class Opened extends Delegate {
        @Override
        ShellSettings readSettings() {
            return packaged();
        }
    }

    public static final class Paying extends PayActivity {
        @Override
        Till till() {
            return StoreTill.open(packaged());
        }
    }

    public static final class Ready extends PayService {
        @Override
        Till till() {
            return StoreTill.open(packaged());
        }
    }

    @Before
    public void open() throws Exception {
        store = HttpServer.create(new InetSocketAddress("127.0.0.1", 0), 0);
        store.createContext("/shop/" + APP + "/", this::answer);
        store.start();
        address = "http://127.0.0.1:" + store.getAddress().getPort();
        sells = true;
        PackageInfo info = new PackageInfo();
        info.packageName = BROWSER;
        info.signatures = new Signature[] {new Signature("one certificate".getBytes())};
        info.applicationInfo = new ApplicationInfo();
        info.applicationInfo.packageName = BROWSER;
        info.applicationInfo.uid = BROWSER_UID;
        shadowOf(app.getPackageManager()).installPackage(info);
        shadowOf(app.getPackageManager()).setPackagesForUid(BROWSER_UID, BROWSER);
        TrustedBrowser.remember(app, BROWSER);
        service = Robolectric.buildService(Opened.class).create().get().onBind(new Intent());
        ShadowBinder.setCallingUid(BROWSER_UID);
    }

    @After
    public void close() {
        store.stop(0);
    }

    /** The stand-in's side: one ticket, one pass. */
    private void answer(HttpExchange exchange) throws IOException {
        String path = exchange.getRequestURI().toString();
        String what = path.substring(path.lastIndexOf('/') + 1);
        ByteArrayOutputStream body = new ByteArrayOutputStream();
        InputStream in = exchange.getRequestBody();
        for (int next = in.read(); next >= 0; next = in.read()) {
            body.write(next);
        }
        synchronized (asked) {
            asked.add(what + " " + body.toString("UTF-8"));
        }
        byte[] bytes;
        try {
            bytes = answerTo(what, body.toString("UTF-8")).getBytes(StandardCharsets.UTF_8);
        } catch (Exception e) {
            throw new IOException(e);
        }
        exchange.sendResponseHeaders(status, bytes.length);
        exchange.getResponseBody().write(bytes);
        exchange.close();
    }

    private String answerTo(String what, String body) throws Exception {
        if (what.startsWith("items")) {
            JSONArray items = new JSONArray();
            if (what.contains("day_ticket")) {
                items.put(
                        new JSONObject()
                                .put("itemId", "day_ticket")
                                .put("title", "Day ticket")
                                .put("description", "Every sailing until midnight.")
                                .put("type", "product")
                                .put("price", money("4.50")));
            }
            if (what.contains("season_pass")) {
                items.put(
                        new JSONObject()
                                .put("itemId", "season_pass")
                                .put("title", "Season pass")
                                .put("type", "subscription")
                                .put("price", money("29.00"))
                                .put("subscriptionPeriod", "P1M")
                                .put("freeTrialPeriod", "P7D")
                                .put("introductoryPrice", money("19.00"))
                                .put("introductoryPricePeriod", "P1M")
                                .put("introductoryPriceCycles", 3));
            }
            return items.toString();
        }
        if (what.equals("purchases")) {
            return new JSONArray()
                    .put(
                            new JSONObject()
                                    .put("itemId", "day_ticket")
                                    .put("purchaseToken", "token-1"))
                    .toString();
        }
        if (what.equals("buy")) {
            JSONObject asks = new JSONObject(body);
            return new JSONObject()
                    .put("token", "token-of-" + asks.getString("id"))
                    .put("state", asks.getString("outcome"))
                    .toString();
        }
        consumed.add(new JSONObject(body).getString("token"));
        return "{}";
    }

    private static JSONObject money(String value) throws Exception {
        return new JSONObject().put("currency", "EUR").put("value", value);
    }

    /** The browser's end of an extra command: waits for the call back. */
    private static final class Told extends Binder {
        final CountDownLatch arrived = new CountDownLatch(1);
        volatile String name;
        volatile Bundle bundle;

        @Override
        protected boolean onTransact(int code, Parcel data, Parcel reply, int flags) {
            assertEquals(FIRST_CALL_TRANSACTION + 1, code);
            data.enforceInterface("android.support.customtabs.trusted.ITrustedWebActivityCallback");
            name = data.readString();
            assertEquals(1, data.readInt());
            bundle = Bundle.CREATOR.createFromParcel(data);
            reply.writeNoException();
            arrived.countDown();
            return true;
        }

        Bundle await() throws InterruptedException {
            assertTrue(arrived.await(10, TimeUnit.SECONDS));
            return bundle;
        }
    }

    private boolean command(String name, Bundle arguments, IBinder callback) throws Exception {
        Parcel data = Parcel.obtain();
        Parcel reply = Parcel.obtain();
        data.writeInterfaceToken("android.support.customtabs.trusted.ITrustedWebActivityService");
        data.writeString(name);
        data.writeInt(1);
        arguments.writeToParcel(data, 0);
        data.writeStrongBinder(callback);
        assertTrue(service.transact(IBinder.FIRST_CALL_TRANSACTION + 8, data, reply, 0));
        reply.readException();
        assertEquals(1, reply.readInt());
        return Bundle.CREATOR.createFromParcel(reply).getBoolean("success");
    }

    private static Bundle ids(String... ids) {
        Bundle arguments = new Bundle();
        arguments.putStringArray("getDetails.itemIds", ids);
        return arguments;
    }

    @Test
    public void detailsComeFromTheStore() throws Exception {
        Told told = new Told();
        assertTrue(command("getDetails", ids("day_ticket", "season_pass"), told));
        Bundle answer = told.await();
        assertEquals("getDetails.response", told.name);
        assertEquals(0, answer.getInt("getDetails.responseCode", -1));
        Parcelable[] list = answer.getParcelableArray("getDetails.detailsList");
        assertEquals(2, list.length);
        Bundle ticket = (Bundle) list[0];
        assertEquals("day_ticket", ticket.getString("itemDetails.id"));
        assertEquals("Day ticket", ticket.getString("itemDetails.title"));
        assertEquals("4.50", ticket.getString("itemDetails.value"));
        assertEquals("EUR", ticket.getString("itemDetails.currency"));
        assertNull(ticket.getString("itemDetails.subsPeriod"));
        Bundle pass = (Bundle) list[1];
        assertEquals("P1M", pass.getString("itemDetails.subsPeriod"));
        assertEquals("P7D", pass.getString("itemDetails.freeTrialPeriod"));
        assertEquals("19.00", pass.getString("itemDetails.introValue"));
        assertEquals(3, pass.getInt("itemDetails.introCycles"));
    }

    @Test
    public void purchasesAreListedAndUsedUp() throws Exception {
        for (String name : new String[] {"listPurchases", "listPurchaseHistory"}) {
            Told told = new Told();
            assertTrue(command(name, new Bundle(), told));
            Parcelable[] list = told.await().getParcelableArray(name + ".purchasesList");
            assertEquals(name + ".response", told.name);
            assertEquals("token-1", ((Bundle) list[0]).getString("purchaseDetails.purchaseToken"));
            assertEquals("day_ticket", ((Bundle) list[0]).getString("purchaseDetails.itemId"));
        }
        Bundle arguments = new Bundle();
        arguments.putString("consume.purchaseToken", "token-1");
        Told told = new Told();
        assertTrue(command("consume", arguments, told));
        assertEquals(0, told.await().getInt("consume.responseCode", -1));
        assertEquals(1, consumed.size());
    }

    @Test
    public void trouble() throws Exception {
        status = 500;
        Told told = new Told();
        assertTrue(command("getDetails", ids("day_ticket"), told));
        assertEquals(Till.ERROR, told.await().getInt("getDetails.responseCode"));
        assertNull(told.bundle.getParcelableArray("getDetails.detailsList"));
        address = null;
        service = Robolectric.buildService(Opened.class).create().get().onBind(new Intent());
        Told closed = new Told();
        assertTrue(command("listPurchases", new Bundle(), closed));
        assertEquals(Till.CLOSED, closed.await().getInt("listPurchases.responseCode"));
        sells = false;
        service = Robolectric.buildService(Opened.class).create().get().onBind(new Intent());
        assertFalse(command("getDetails", ids("day_ticket"), new Told()));
    }

    private Paying start(String caller, String data) {
        Bundle methods = new Bundle();
        methods.putString(METHOD, data);
        Intent intent =
                new Intent("org.chromium.intent.action.PAY").putExtra("methodData", methods);
        ActivityController<Paying> made = Robolectric.buildActivity(Paying.class, intent);
        shadowOf(made.get())
                .setCallingActivity(
                        caller == null ? null : new android.content.ComponentName(caller, "Page"));
        return made.create().start().resume().get();
    }

    /** Waits until the sheet is shown, and chooses. */
    private void choose(String choice) throws Exception {
        AlertDialog sheet = null;
        for (int i = 0; i < 500 && sheet == null; i++) {
            shadowOf(Looper.getMainLooper()).idle();
            sheet = (AlertDialog) ShadowDialog.getLatestDialog();
            Thread.sleep(10);
        }
        ShadowAlertDialog shown = shadowOf(sheet);
        assertTrue(shown.getTitle().toString(), shown.getTitle().toString().contains("stand-in"));
        assertTrue(shown.getTitle().toString(), shown.getTitle().toString().contains("4.50 EUR"));
        CharSequence[] items = shown.getItems();
        for (int i = 0; i < items.length; i++) {
            if (items[i].toString().startsWith(choice)) {
                shown.clickOnItem(i);
                return;
            }
        }
        throw new AssertionError(choice);
    }

    private static void awaitEnd(Activity activity) throws Exception {
        for (int i = 0; i < 500 && !activity.isFinishing(); i++) {
            shadowOf(Looper.getMainLooper()).idle();
            Thread.sleep(10);
        }
        assertTrue(activity.isFinishing());
    }

    @Test
    public void whatIsBoughtComesBackAsAToken() throws Exception {
        Paying paying = start(BROWSER, "{\"sku\":\"day_ticket\"}");
        choose("Buy");
        awaitEnd(paying);
        assertEquals(Activity.RESULT_OK, shadowOf(paying).getResultCode());
        Intent result = shadowOf(paying).getResultIntent();
        assertEquals(METHOD, result.getStringExtra("methodName"));
        assertEquals(
                "token-of-day_ticket",
                new JSONObject(result.getStringExtra("details")).getString("purchaseToken"));
        assertTrue(asked.toString(), asked.get(1).contains("\"outcome\":\"bought\""));
    }

    @Test
    public void aBuyerMayChangeTheirMind() throws Exception {
        for (String choice : new String[] {"Cancel", "Card is declined"}) {
            Paying paying = start(BROWSER, "{\"sku\":\"day_ticket\"}");
            choose(choice);
            awaitEnd(paying);
            assertEquals(Activity.RESULT_CANCELED, shadowOf(paying).getResultCode());
            ShadowDialog.reset();
        }
        assertFalse(asked.toString(), asked.toString().contains("outcome"));
    }

    @Test
    public void onlyTheBrowserThatShowsThePagesMayAsk() throws Exception {
        for (String caller : new String[] {"browser.two", null}) {
            Paying paying = start(caller, "{\"sku\":\"day_ticket\"}");
            assertTrue(paying.isFinishing());
            assertEquals(Activity.RESULT_CANCELED, shadowOf(paying).getResultCode());
        }
        for (String data : new String[] {null, "", "[]", "{\"sku\":\"\"}", "{\"other\":1}"}) {
            assertTrue(start(BROWSER, data).isFinishing());
        }
        assertTrue(asked.toString(), asked.isEmpty());
        Paying unknown = start(BROWSER, "{\"sku\":\"ghost\"}");
        awaitEnd(unknown);
        assertEquals(Activity.RESULT_CANCELED, shadowOf(unknown).getResultCode());
    }

    /** The browser's end of the question whether a payment can be made. */
    private boolean isReady() throws Exception {
        final List<Integer> told = new ArrayList<>();
        Binder callback =
                new Binder() {
                    @Override
                    protected boolean onTransact(int code, Parcel data, Parcel reply, int flags) {
                        assertEquals(FIRST_CALL_TRANSACTION, code);
                        data.enforceInterface("org.chromium.IsReadyToPayServiceCallback");
                        told.add(data.readInt());
                        return true;
                    }
                };
        IBinder ready = Robolectric.buildService(Ready.class).create().get().onBind(new Intent());
        Parcel data = Parcel.obtain();
        data.writeInterfaceToken("org.chromium.IsReadyToPayService");
        data.writeStrongBinder(callback);
        assertTrue(ready.transact(IBinder.FIRST_CALL_TRANSACTION, data, null, IBinder.FLAG_ONEWAY));
        assertEquals(1, told.size());
        return told.get(0) == 1;
    }

    @Test
    public void aPaymentCanBeMadeWhereAStoreIsThere() throws Exception {
        assertTrue(isReady());
        ShadowBinder.setCallingUid(10_999);
        assertFalse(isReady());
        ShadowBinder.setCallingUid(BROWSER_UID);
        address = null;
        assertFalse(isReady());
    }
}
