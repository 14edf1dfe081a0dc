package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertThrows;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.Manifest;
import android.app.AlertDialog;
import android.app.Application;
import android.app.Notification;
import android.app.NotificationManager;
import android.app.PendingIntent;
import android.content.Context;
import android.content.Intent;
import android.content.pm.PackageInfo;
import android.content.pm.Signature;
import android.location.Location;
import android.location.LocationManager;
import android.os.Binder;
import android.os.Build;
import android.os.Bundle;
import android.os.Handler;
import android.os.IBinder;
import android.os.Looper;
import android.os.Message;
import android.os.Messenger;
import android.os.Parcel;
import android.os.RemoteException;

import org.json.JSONArray;
import org.json.JSONObject;
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

import java.util.ArrayList;
import java.util.List;

/**
 * What the browser may do in the app's name: only the one that shows the pages, and only what the
 * package declares.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class DelegateTest {
    private static final int BROWSER_UID = 10_077;
    private static final String BROWSER = "browser.one";
    private static final String KEY = "android.support.customtabs.trusted.";
    private static boolean declared;

    private static ShellSettings packaged() {
        try {
            JSONObject json = TestSite.json("/", true);
            if (declared) {
                JSONArray place =
                        new JSONArray()
                                .put(
                                        new JSONObject()
                                                .put(
                                                        "name",
                                                        Manifest.permission.ACCESS_COARSE_LOCATION))
                                .put(
                                        new JSONObject()
                                                .put(
                                                        "name",
                                                        Manifest.permission.ACCESS_FINE_LOCATION));
                JSONArray post =
                        new JSONArray()
                                .put(
                                        new JSONObject()
                                                .put(
                                                        "name",
                                                        "android.permission.POST_NOTIFICATIONS")
                                                .put("minSdk", 33));
                json.put(
                        "permissions",
                        new JSONObject()
                                .put(
                                        "geolocation",
                                        new JSONObject()
                                                .put("reason", "Shows the pier nearest to you.")
                                                .put("allow", "x")
                                                .put("system", place))
                                .put(
                                        "notifications",
                                        new JSONObject()
                                                .put("reason", "Tells you about delays.")
                                                .put("allow", "x")
                                                .put("system", post)));
            }
            return TestSite.parse(json.toString());
        } catch (Exception e) {
            throw new AssertionError(e);
        }
    }

    /** The service with settings of a package that declares both capabilities, or none. */
    public static final class Opened extends Delegate {
        @Override
        ShellSettings readSettings() {
            return packaged();
        }
    }

    public static final class Asking extends AskActivity {
        @Override
        ShellSettings readSettings() {
            return packaged();
        }
    }

    private final Application app = RuntimeEnvironment.getApplication();
    private IBinder service;

    @Before
    public void connect() {
        declared = true;
        install("one certificate");
        TrustedBrowser.remember(app, BROWSER);
        open();
    }

    private void open() {
        service = Robolectric.buildService(Opened.class).create().get().onBind(new Intent());
        ShadowBinder.setCallingUid(BROWSER_UID);
    }

    private void install(String certificate) {
        PackageInfo info = new PackageInfo();
        info.packageName = BROWSER;
        info.signatures = new Signature[] {new Signature(certificate.getBytes())};
        shadowOf(app.getPackageManager()).installPackage(info);
        shadowOf(app.getPackageManager()).setPackagesForUid(BROWSER_UID, BROWSER);
    }

    private interface Arguments {
        void write(Parcel data);
    }

    private Parcel call(int number, Arguments arguments) throws RemoteException {
        Parcel data = Parcel.obtain();
        Parcel reply = Parcel.obtain();
        data.writeInterfaceToken("android.support.customtabs.trusted.ITrustedWebActivityService");
        arguments.write(data);
        assertTrue(service.transact(IBinder.FIRST_CALL_TRANSACTION + number, data, reply, 0));
        reply.readException();
        return reply;
    }

    private Bundle ask(int number, final Bundle sent) throws RemoteException {
        return bundle(
                call(
                        number,
                        new Arguments() {
                            @Override
                            public void write(Parcel data) {
                                data.writeInt(1);
                                sent.writeToParcel(data, 0);
                            }
                        }));
    }

    private static Bundle bundle(Parcel reply) {
        assertEquals(1, reply.readInt());
        return Bundle.CREATOR.createFromParcel(reply);
    }

    private Bundle command(final String name, final Bundle sent, final IBinder callback)
            throws RemoteException {
        return bundle(
                call(
                        8,
                        new Arguments() {
                            @Override
                            public void write(Parcel data) {
                                data.writeString(name);
                                data.writeInt(1);
                                sent.writeToParcel(data, 0);
                                data.writeStrongBinder(callback);
                            }
                        }));
    }

    /** The browser's end, which notes what it is told. */
    private static final class Told extends Binder {
        final List<String> names = new ArrayList<>();
        final List<Bundle> bundles = new ArrayList<>();

        @Override
        protected boolean onTransact(int code, Parcel data, Parcel reply, int flags) {
            assertEquals(FIRST_CALL_TRANSACTION + 1, code);
            data.enforceInterface("android.support.customtabs.trusted.ITrustedWebActivityCallback");
            names.add(data.readString());
            bundles.add(bundle(data));
            reply.writeNoException();
            return true;
        }
    }

    private Bundle posted(String channel) {
        Notification.Builder builder =
                new Notification.Builder(app)
                        .setSmallIcon(android.R.drawable.ic_dialog_info)
                        .setContentTitle("The 8:40 is late");
        Bundle sent = new Bundle();
        sent.putString(KEY + "PLATFORM_TAG", "delay");
        sent.putInt(KEY + "PLATFORM_ID", 7);
        sent.putString(KEY + "CHANNEL_NAME", channel);
        sent.putParcelable(KEY + "NOTIFICATION", builder.build());
        return sent;
    }

    private NotificationManager notifications() {
        return (NotificationManager) app.getSystemService(Context.NOTIFICATION_SERVICE);
    }

    @Test
    public void notificationsComeUnderTheAppsName() throws Exception {
        assertTrue(ask(1, posted("Delays")).getBoolean(KEY + "NOTIFICATION_SUCCESS"));
        Notification shown = shadowOf(notifications()).getNotification("delay", 7);
        assertNotNull(shown);
        if (Build.VERSION.SDK_INT >= 26) {
            assertEquals(
                    "Delays",
                    notifications()
                            .getNotificationChannel(shown.getChannelId())
                            .getName()
                            .toString());
        }
        call(
                2,
                new Arguments() {
                    @Override
                    public void write(Parcel data) {
                        data.writeInt(1);
                        posted("Delays").writeToParcel(data, 0);
                    }
                });
        assertNull(shadowOf(notifications()).getNotification("delay", 7));
    }

    @Test
    public void whatTheUserSwitchedOffIsNotPosted() throws Exception {
        shadowOf(notifications()).setNotificationsEnabled(false);
        assertFalse(ask(1, posted("Delays")).getBoolean(KEY + "NOTIFICATION_SUCCESS"));
        assertNull(shadowOf(notifications()).getNotification("delay", 7));
        Bundle channel = new Bundle();
        channel.putString(KEY + "CHANNEL_NAME", "Delays");
        assertFalse(ask(5, channel).getBoolean(KEY + "NOTIFICATION_SUCCESS"));
    }

    @Test
    public void onlyTheBrowserThatShowsThePagesIsAnswered() {
        ShadowBinder.setCallingUid(10_999);
        assertThrows(SecurityException.class, () -> ask(1, posted("Delays")));
        ShadowBinder.setCallingUid(BROWSER_UID);
        // The same name with another certificate is another browser.
        install("a certificate of somebody else");
        assertThrows(SecurityException.class, () -> ask(1, posted("Delays")));
        install("one certificate");
        TrustedBrowser.forget(app);
        assertThrows(SecurityException.class, () -> ask(1, posted("Delays")));
        assertNull(shadowOf(notifications()).getNotification("delay", 7));
    }

    @Test
    public void whatThePackageDoesNotDeclareIsNotDone() throws Exception {
        declared = false;
        open();
        assertFalse(ask(1, posted("Delays")).getBoolean(KEY + "NOTIFICATION_SUCCESS"));
        Bundle answer = command("startLocation", new Bundle(), new Told());
        assertFalse(answer.getBoolean("success"));
        assertFalse(
                command("checkNotificationPermission", new Bundle(), null)
                        .getBoolean("androidx.browser.trusted.SUCCESS"));
    }

    @Test
    public void theLocationIsTheSystems() throws Exception {
        LocationManager locations =
                (LocationManager) app.getSystemService(Context.LOCATION_SERVICE);
        shadowOf(locations).setProviderEnabled(LocationManager.GPS_PROVIDER, true);
        Told told = new Told();
        assertTrue(command("startLocation", new Bundle(), told).getBoolean("success"));
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals("onNewLocationError", told.names.get(0));

        shadowOf(app).grantPermissions(Manifest.permission.ACCESS_FINE_LOCATION);
        command("checkAndroidLocationPermission", new Bundle(), told);
        assertTrue(told.bundles.get(1).getBoolean("locationPermissionResult"));
        Bundle exact = new Bundle();
        exact.putBoolean("enableHighAccuracy", true);
        command("startLocation", exact, told);
        shadowOf(Looper.getMainLooper()).idle();
        Location place = new Location(LocationManager.GPS_PROVIDER);
        place.setLatitude(54.25);
        place.setLongitude(8.5);
        place.setAccuracy(12);
        place.setTime(1_700_000_000_000L);
        shadowOf(locations).simulateLocation(place);
        shadowOf(Looper.getMainLooper()).idle();
        Bundle last = told.bundles.get(told.bundles.size() - 1);
        assertEquals("onNewLocationAvailable", told.names.get(told.names.size() - 1));
        assertEquals(54.25, last.getDouble("latitude"), 0);
        assertEquals(12f, last.getFloat("accuracy"), 0);
        assertEquals(1_700_000_000_000L, last.getLong("timeStamp"));

        int before = told.names.size();
        command("stopLocation", new Bundle(), told);
        shadowOf(Looper.getMainLooper()).idle();
        place.setLatitude(54.5);
        shadowOf(locations).simulateLocation(place);
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals(before, told.names.size());
    }

    @Test
    public void aQuestionOpensTheAppsOwnAndThenTheSystems() throws Exception {
        Told told = new Told();
        command("checkAndroidLocationPermission", new Bundle(), told);
        Intent asks = shadowOf(app).getNextStartedActivity();
        assertEquals(AskActivity.class.getName(), asks.getComponent().getClassName());
        ActivityController<Asking> controller =
                Robolectric.buildActivity(Asking.class, asks).setup();
        AlertDialog dialog = ShadowAlertDialog.getLatestAlertDialog();
        assertEquals("Shows the pier nearest to you.", shadowOf(dialog).getMessage().toString());
        dialog.getButton(AlertDialog.BUTTON_NEGATIVE).performClick();
        shadowOf(Looper.getMainLooper()).idle();
        assertTrue(controller.get().isFinishing());
        assertEquals("checkAndroidLocationPermission", told.names.get(0));
        assertFalse(told.bundles.get(0).getBoolean("locationPermissionResult"));
    }

    @Test
    @Config(minSdk = 33)
    public void theBrowserIsToldWhetherToAskForNotifications() throws Exception {
        shadowOf(notifications()).setNotificationsEnabled(false);
        Bundle status = command("checkNotificationPermission", new Bundle(), null);
        assertEquals(2, status.getInt("permissionStatus"));
        PendingIntent way =
                command("getNotificationPermissionRequestPendingIntent", new Bundle(), null)
                        .getParcelable("notificationPermissionRequestPendingIntent");
        final List<Integer> answers = new ArrayList<>();
        Handler asker =
                new Handler(Looper.getMainLooper()) {
                    @Override
                    public void handleMessage(Message message) {
                        answers.add(message.getData().getInt("permissionStatus"));
                    }
                };
        Intent asks =
                new Intent(shadowOf(way).getSavedIntent())
                        .putExtra("messenger", new Messenger(asker));
        ActivityController<Asking> controller =
                Robolectric.buildActivity(Asking.class, asks).setup();
        ShadowAlertDialog.getLatestAlertDialog()
                .getButton(AlertDialog.BUTTON_POSITIVE)
                .performClick();
        shadowOf(Looper.getMainLooper()).idle();
        shadowOf(app).grantPermissions("android.permission.POST_NOTIFICATIONS");
        controller
                .get()
                .onRequestPermissionsResult(
                        RequestCodes.FIRST_PERMISSION + 1,
                        new String[] {"android.permission.POST_NOTIFICATIONS"},
                        new int[] {0});
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals(1, answers.size());
        assertEquals(0, (int) answers.get(0));
    }

    @Test
    public void thereIsAPictureForNotificationsOrNone() throws Exception {
        Bundle picture =
                bundle(
                        call(
                                6,
                                new Arguments() {
                                    @Override
                                    public void write(Parcel data) {}
                                }));
        assertTrue(picture.containsKey(KEY + "SMALL_ICON_BITMAP"));
    }
}
