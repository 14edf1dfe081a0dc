package jollyhull.shell;

import android.app.Notification;
import android.app.NotificationChannel;
import android.app.NotificationManager;
import android.app.PendingIntent;
import android.app.Service;
import android.content.Context;
import android.content.Intent;
import android.content.pm.PackageManager;
import android.location.Location;
import android.location.LocationListener;
import android.location.LocationManager;
import android.os.Binder;
import android.os.Build;
import android.os.Bundle;
import android.os.Handler;
import android.os.IBinder;
import android.os.Looper;
import android.os.Parcel;
import android.os.Parcelable;
import android.os.RemoteException;
import android.service.notification.StatusBarNotification;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * What the browser that shows the pages may do in the app's name: post notifications and learn the
 * location, so that both are asked for and managed as the app's. It answers only the browser that
 * this app itself has opened as verified.
 */
public class Delegate extends Service {
    static final String INTERFACE = "android.support.customtabs.trusted.ITrustedWebActivityService";
    static final String CALLBACK = "android.support.customtabs.trusted.ITrustedWebActivityCallback";
    static final int ON_EXTRA_CALLBACK = IBinder.FIRST_CALL_TRANSACTION + 1;

    static final int NOTIFY = IBinder.FIRST_CALL_TRANSACTION + 1;
    static final int CANCEL = IBinder.FIRST_CALL_TRANSACTION + 2;
    static final int SMALL_ICON_ID = IBinder.FIRST_CALL_TRANSACTION + 3;
    static final int ACTIVE = IBinder.FIRST_CALL_TRANSACTION + 4;
    static final int ARE_ENABLED = IBinder.FIRST_CALL_TRANSACTION + 5;
    static final int SMALL_ICON = IBinder.FIRST_CALL_TRANSACTION + 6;
    static final int EXTRA_COMMAND = IBinder.FIRST_CALL_TRANSACTION + 8;

    private static final String KEY = "android.support.customtabs.trusted.";
    static final String TAG = KEY + "PLATFORM_TAG";
    static final String ID = KEY + "PLATFORM_ID";
    static final String NOTIFICATION = KEY + "NOTIFICATION";
    static final String CHANNEL = KEY + "CHANNEL_NAME";
    static final String ACTIVE_LIST = KEY + "ACTIVE_NOTIFICATIONS";
    static final String SUCCESS = KEY + "NOTIFICATION_SUCCESS";
    static final String ICON_BITMAP = KEY + "SMALL_ICON_BITMAP";

    /**
     * Whether an extra command was understood: location and notifications each have a key of their
     * own for it.
     */
    static final String[] UNDERSTOOD = {"success", "androidx.browser.trusted.SUCCESS"};

    static final String STATUS = "permissionStatus";
    static final int ALLOWED = 0;
    static final int BLOCKED = 1;
    static final int NOT_ASKED = 2;

    /** Name of the picture that notifications show; alpha only. */
    static final String ICON = KEY + "SMALL_ICON";

    private static final long LOCATION_EVERY_MS = 1000;

    private final Handler handler = new Handler(Looper.getMainLooper());
    private final Map<IBinder, LocationListener> listening =
            new HashMap<IBinder, LocationListener>();
    private ShellSettings settings;

    ShellSettings readSettings() {
        return ShellSettings.of(this);
    }

    Till till() {
        return StoreTill.open(settings);
    }

    @Override
    public void onCreate() {
        super.onCreate();
        settings = readSettings();
    }

    @Override
    public IBinder onBind(Intent intent) {
        return new Binder() {
            @Override
            protected boolean onTransact(int code, Parcel data, Parcel reply, int flags)
                    throws RemoteException {
                if (code == INTERFACE_TRANSACTION) {
                    reply.writeString(INTERFACE);
                    return true;
                }
                if (code < FIRST_CALL_TRANSACTION || code > LAST_CALL_TRANSACTION) {
                    return super.onTransact(code, data, reply, flags);
                }
                data.enforceInterface(INTERFACE);
                if (!TrustedBrowser.isCaller(Delegate.this, Binder.getCallingUid())) {
                    throw new SecurityException(
                            "Only the browser that shows this app's pages may ask.");
                }
                long caller = Binder.clearCallingIdentity();
                try {
                    return answer(code, data, reply);
                } finally {
                    Binder.restoreCallingIdentity(caller);
                }
            }
        };
    }

    private boolean answer(int code, Parcel data, Parcel reply) {
        switch (code) {
            case NOTIFY:
                give(reply, single(SUCCESS, notify(TabsProtocol.readBundle(data))));
                return true;
            case CANCEL:
                {
                    Bundle which = TabsProtocol.readBundle(data);
                    notifications().cancel(which.getString(TAG), which.getInt(ID));
                    reply.writeNoException();
                    return true;
                }
            case SMALL_ICON_ID:
                reply.writeNoException();
                reply.writeInt(iconId());
                return true;
            case ACTIVE:
                give(reply, active());
                return true;
            case ARE_ENABLED:
                give(
                        reply,
                        single(
                                SUCCESS,
                                areEnabled(TabsProtocol.readBundle(data).getString(CHANNEL))));
                return true;
            case SMALL_ICON:
                {
                    Bundle answer = new Bundle();
                    answer.putParcelable(ICON_BITMAP, NoticeIcon.draw(this, iconId()));
                    give(reply, answer);
                    return true;
                }
            case EXTRA_COMMAND:
                {
                    String name = data.readString();
                    Bundle arguments = TabsProtocol.readBundle(data);
                    give(reply, command(String.valueOf(name), arguments, data.readStrongBinder()));
                    return true;
                }
            default:
                return false;
        }
    }

    private static void give(Parcel reply, Bundle answer) {
        reply.writeNoException();
        reply.writeInt(1);
        answer.writeToParcel(reply, Parcelable.PARCELABLE_WRITE_RETURN_VALUE);
    }

    private static Bundle single(String key, boolean value) {
        Bundle bundle = new Bundle();
        bundle.putBoolean(key, value);
        return bundle;
    }

    private NotificationManager notifications() {
        return (NotificationManager) getSystemService(Context.NOTIFICATION_SERVICE);
    }

    private static String channelId(String name) {
        return "page." + String.valueOf(name).toLowerCase(Locale.ROOT);
    }

    private boolean areEnabled(String channel) {
        if (!declares("notifications") || !notifications().areNotificationsEnabled()) {
            return false;
        }
        if (Build.VERSION.SDK_INT < 26 || channel == null) {
            return true;
        }
        NotificationChannel own = notifications().getNotificationChannel(channelId(channel));
        return own == null || own.getImportance() != NotificationManager.IMPORTANCE_NONE;
    }

    private boolean declares(String capability) {
        return settings.permissions.containsKey(capability)
                || (capability.equals("notifications") && settings.permissions.containsKey("push"));
    }

    private boolean notify(Bundle what) {
        Notification notification = what.getParcelable(NOTIFICATION);
        String channel = what.getString(CHANNEL);
        if (notification == null || !areEnabled(channel)) {
            return false;
        }
        if (Build.VERSION.SDK_INT >= 26) {
            String name = channel == null ? settings.name : channel;
            notifications()
                    .createNotificationChannel(
                            new NotificationChannel(
                                    channelId(name), name, NotificationManager.IMPORTANCE_DEFAULT));
            notification =
                    Notification.Builder.recoverBuilder(this, notification)
                            .setChannelId(channelId(name))
                            .build();
        }
        notifications().notify(what.getString(TAG), what.getInt(ID), notification);
        return true;
    }

    private Bundle active() {
        StatusBarNotification[] shown = notifications().getActiveNotifications();
        Bundle answer = new Bundle();
        answer.putParcelableArray(ACTIVE_LIST, shown);
        return answer;
    }

    private int iconId() {
        try {
            Bundle own =
                    getPackageManager()
                            .getServiceInfo(
                                    new android.content.ComponentName(this, Delegate.class),
                                    PackageManager.GET_META_DATA)
                            .metaData;
            return own == null ? -1 : own.getInt(ICON, -1);
        } catch (PackageManager.NameNotFoundException e) {
            return -1;
        }
    }

    private Bundle command(String name, Bundle arguments, final IBinder callback) {
        Bundle answer = new Bundle();
        boolean understood = true;
        if (name.equals("checkAndroidLocationPermission") && declares("geolocation")) {
            askForLocation(callback);
        } else if (name.equals("startLocation") && declares("geolocation")) {
            startLocation(arguments.getBoolean("enableHighAccuracy"), callback);
        } else if (name.equals("stopLocation")) {
            stopLocation();
        } else if (name.equals("checkNotificationPermission") && declares("notifications")) {
            answer.putInt(
                    STATUS, notificationStatus(arguments.getString("notificationChannelName")));
        } else if (name.equals("getNotificationPermissionRequestPendingIntent")
                && declares("notifications")) {
            answer.putParcelable(
                    "notificationPermissionRequestPendingIntent",
                    PendingIntent.getActivity(
                            this,
                            0,
                            AskActivity.intent(
                                    this,
                                    settings.permissions.containsKey("notifications")
                                            ? "notifications"
                                            : "push"),
                            // The browser adds to it where the answer goes.
                            PendingIntent.FLAG_UPDATE_CURRENT
                                    | (Build.VERSION.SDK_INT >= 31
                                            ? PendingIntent.FLAG_MUTABLE
                                            : 0)));
        } else if (settings.sells() && DigitalGoods.knows(name)) {
            DigitalGoods.answer(
                    till(),
                    name,
                    arguments,
                    new DigitalGoods.Reply() {
                        @Override
                        public void tell(String response, Bundle found) {
                            Delegate.tell(callback, response, found);
                        }
                    });
        } else {
            understood = false;
        }
        for (String key : UNDERSTOOD) {
            answer.putBoolean(key, understood);
        }
        return answer;
    }

    private int notificationStatus(String channel) {
        if (areEnabled(channel)) {
            return ALLOWED;
        }
        String capability =
                settings.permissions.containsKey("notifications") ? "notifications" : "push";
        boolean canAsk =
                Build.VERSION.SDK_INT >= 33
                        && checkSelfPermission("android.permission.POST_NOTIFICATIONS")
                                != PackageManager.PERMISSION_GRANTED;
        return canAsk && !AskFlow.isRefused(capability) ? NOT_ASKED : BLOCKED;
    }

    private boolean mayLocate() {
        return checkSelfPermission(android.Manifest.permission.ACCESS_COARSE_LOCATION)
                        == PackageManager.PERMISSION_GRANTED
                || checkSelfPermission(android.Manifest.permission.ACCESS_FINE_LOCATION)
                        == PackageManager.PERMISSION_GRANTED;
    }

    private void askForLocation(final IBinder callback) {
        if (mayLocate()) {
            tell(
                    callback,
                    "checkAndroidLocationPermission",
                    single("locationPermissionResult", true));
            return;
        }
        Handler answered =
                new Handler(Looper.getMainLooper()) {
                    @Override
                    public void handleMessage(android.os.Message message) {
                        tell(
                                callback,
                                "checkAndroidLocationPermission",
                                single("locationPermissionResult", mayLocate()));
                    }
                };
        startActivity(
                AskActivity.intent(this, "geolocation")
                        .addFlags(Intent.FLAG_ACTIVITY_NEW_TASK)
                        .putExtra(AskActivity.MESSENGER, new android.os.Messenger(answered)));
    }

    private void startLocation(final boolean exact, final IBinder callback) {
        handler.post(
                new Runnable() {
                    @Override
                    public void run() {
                        follow(exact, callback);
                    }
                });
    }

    private void follow(boolean exact, final IBinder callback) {
        LocationManager locations = (LocationManager) getSystemService(LOCATION_SERVICE);
        if (callback == null || listening.containsKey(callback)) {
            return;
        }
        if (!mayLocate()) {
            fail(callback, "The location may not be used.");
            return;
        }
        List<String> providers = new ArrayList<String>();
        for (String provider :
                exact
                        ? new String[] {
                            LocationManager.GPS_PROVIDER, LocationManager.NETWORK_PROVIDER
                        }
                        : new String[] {
                            LocationManager.NETWORK_PROVIDER, LocationManager.GPS_PROVIDER
                        }) {
            if (locations.getAllProviders().contains(provider)
                    && locations.isProviderEnabled(provider)) {
                providers.add(provider);
            }
        }
        if (providers.isEmpty()) {
            fail(callback, "Location is switched off on this device.");
            return;
        }
        LocationListener listener =
                new LocationListener() {
                    @Override
                    public void onLocationChanged(Location place) {
                        tell(callback, "onNewLocationAvailable", describe(place));
                    }

                    @Override
                    public void onStatusChanged(String provider, int status, Bundle extras) {}

                    @Override
                    public void onProviderEnabled(String provider) {}

                    @Override
                    public void onProviderDisabled(String provider) {}
                };
        listening.put(callback, listener);
        try {
            for (String provider : exact ? providers : providers.subList(0, 1)) {
                Location last = locations.getLastKnownLocation(provider);
                if (last != null) {
                    listener.onLocationChanged(last);
                }
                locations.requestLocationUpdates(
                        provider, LOCATION_EVERY_MS, 0, listener, Looper.getMainLooper());
            }
        } catch (SecurityException e) {
            stopLocation();
            fail(callback, "The location may not be used.");
        }
    }

    private void stopLocation() {
        handler.post(
                new Runnable() {
                    @Override
                    public void run() {
                        LocationManager locations =
                                (LocationManager) getSystemService(LOCATION_SERVICE);
                        for (LocationListener listener : listening.values()) {
                            locations.removeUpdates(listener);
                        }
                        listening.clear();
                    }
                });
    }

    /**
     * Degrees, metres, metres a second and milliseconds since 1970, under the names that browsers
     * read.
     */
    private static Bundle describe(Location place) {
        Bundle bundle = new Bundle();
        bundle.putDouble("latitude", place.getLatitude());
        bundle.putDouble("longitude", place.getLongitude());
        bundle.putLong("timeStamp", place.getTime());
        if (place.hasAltitude()) {
            bundle.putDouble("altitude", place.getAltitude());
        }
        if (place.hasAccuracy()) {
            bundle.putFloat("accuracy", place.getAccuracy());
        }
        if (place.hasBearing()) {
            bundle.putFloat("bearing", place.getBearing());
        }
        if (place.hasSpeed()) {
            bundle.putFloat("speed", place.getSpeed());
        }
        return bundle;
    }

    private static void fail(IBinder callback, String why) {
        Bundle bundle = new Bundle();
        bundle.putString("message", why);
        tell(callback, "onNewLocationError", bundle);
    }

    private static void tell(IBinder callback, String name, Bundle arguments) {
        if (callback == null) {
            return;
        }
        Parcel data = Parcel.obtain();
        Parcel reply = Parcel.obtain();
        try {
            data.writeInterfaceToken(CALLBACK);
            data.writeString(name);
            TabsProtocol.writeBundle(data, arguments);
            callback.transact(ON_EXTRA_CALLBACK, data, reply, 0);
            reply.readException();
        } catch (RemoteException | RuntimeException e) {
            // The browser is gone; so is its question.
            return;
        } finally {
            data.recycle();
            reply.recycle();
        }
    }

    @Override
    public boolean onUnbind(Intent intent) {
        stopLocation();
        return false;
    }

    @Override
    public void onDestroy() {
        stopLocation();
        super.onDestroy();
    }
}
