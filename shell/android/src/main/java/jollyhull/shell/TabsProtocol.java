package jollyhull.shell;

import android.content.Context;
import android.net.Uri;
import android.os.Binder;
import android.os.Bundle;
import android.os.IBinder;
import android.os.Parcel;
import android.os.RemoteException;
import android.util.Log;

/**
 * The open protocol between apps and browsers for custom tabs, spoken without a library: a
 * transaction's code is {@link IBinder#FIRST_CALL_TRANSACTION} plus the number that its interface
 * gives a method.
 */
final class TabsProtocol {
    static final String ACTION = "android.support.customtabs.action.CustomTabsService";

    /** A browser that presents verified pages without its own bars says so with this category. */
    static final String TRUSTED = "androidx.browser.trusted.category.TrustedWebActivities";

    /**
     * A browser that shows the app's start picture until the first page is drawn says so with this
     * category.
     */
    static final String SPLASH =
            "androidx.browser.trusted.category.TrustedWebActivitySplashScreensV1";

    static final String SERVICE = "android.support.customtabs.ICustomTabsService";
    static final String CALLBACK = "android.support.customtabs.ICustomTabsCallback";

    static final int WARMUP = IBinder.FIRST_CALL_TRANSACTION + 1;
    static final int NEW_SESSION = IBinder.FIRST_CALL_TRANSACTION + 2;
    static final int MAY_LAUNCH_URL = IBinder.FIRST_CALL_TRANSACTION + 3;
    static final int VALIDATE_RELATIONSHIP = IBinder.FIRST_CALL_TRANSACTION + 8;
    static final int RECEIVE_FILE = IBinder.FIRST_CALL_TRANSACTION + 11;
    static final int ON_NAVIGATION_EVENT = IBinder.FIRST_CALL_TRANSACTION + 1;
    static final int ON_RELATIONSHIP_RESULT = IBinder.FIRST_CALL_TRANSACTION + 5;
    static final int EXTRA_CALLBACK_WITH_RESULT = IBinder.FIRST_CALL_TRANSACTION + 6;

    /** What became of a page: it was loaded, or it could not be. */
    static final int PAGE_FINISHED = 2;

    static final int PAGE_FAILED = 3;

    /**
     * The browser's word that a page of the app fails its users, and why: it asks whether the app
     * deals with that.
     */
    static final String POOR_PAGE = "quality_enforcement.crash";

    static final String POOR_PAGE_REASON = "crash_reason";
    static final String DEALT_WITH = "success";

    /** {@code delegate_permission/common.handle_all_urls} (Digital Asset Links). */
    static final int HANDLE_ALL_URLS = 2;

    /** What a file that is handed over is for: the start picture. */
    static final int SPLASH_PICTURE = 1;

    private static final String EXTRA = "android.support.customtabs.extra.";
    static final String EXTRA_SESSION = EXTRA + "SESSION";
    static final String EXTRA_TRUSTED = EXTRA + "LAUNCH_AS_TRUSTED_WEB_ACTIVITY";
    static final String EXTRA_ORIGINS = EXTRA + "ADDITIONAL_TRUSTED_ORIGINS";
    static final String EXTRA_TOOLBAR_COLOR = EXTRA + "TOOLBAR_COLOR";
    static final String EXTRA_NAVIGATION_COLOR =
            "androidx.browser.customtabs.extra.NAVIGATION_BAR_COLOR";
    static final String EXTRA_DISPLAY = "androidx.browser.trusted.extra.DISPLAY_MODE";
    static final String EXTRA_ORIENTATION = "androidx.browser.trusted.extra.SCREEN_ORIENTATION";
    static final String DISPLAY_ID = "androidx.browser.trusted.displaymode.KEY_ID";
    static final String DISPLAY_STICKY = "androidx.browser.trusted.displaymode.KEY_STICKY";
    static final String DISPLAY_CUTOUT = "androidx.browser.trusted.displaymode.KEY_CUTOUT_MODE";
    static final int DISPLAY_IMMERSIVE = 1;

    static final String EXTRA_SCHEME_COLORS =
            "androidx.browser.customtabs.extra.COLOR_SCHEME_PARAMS";
    static final int SCHEME_DARK = 2;

    static final String EXTRA_SPLASH = "androidx.browser.trusted.EXTRA_SPLASH_SCREEN_PARAMS";
    static final String SPLASH_VERSION = "androidx.browser.trusted.KEY_SPLASH_SCREEN_VERSION";
    static final String SPLASH_FADE =
            "androidx.browser.trusted.KEY_SPLASH_SCREEN_FADE_OUT_DURATION";
    static final String SPLASH_SCALE = "androidx.browser.trusted.KEY_SPLASH_SCREEN_SCALE_TYPE";

    /** {@code ImageView.ScaleType.CENTER}, by its place among the others. */
    static final int SCALE_CENTER = 5;

    /** The protocol has the word twice here. */
    static final String SPLASH_GROUND =
            "androidx.browser.trusted.trusted.KEY_SPLASH_SCREEN_BACKGROUND_COLOR";

    static final String EXTRA_SHARE_DATA = "androidx.browser.trusted.extra.SHARE_DATA";
    static final String EXTRA_SHARE_TARGET = "androidx.browser.trusted.extra.SHARE_TARGET";

    /** Before the names of everything that is shared, and of where it goes. */
    static final String SHARING = "androidx.browser.trusted.sharing.KEY_";

    private TabsProtocol() {}

    /** What the app does about pages that the browser shows. Called on the browser's threads. */
    interface Watcher {
        void pageLoaded();

        void pageFailed();

        /**
         * @return whether the app shows a page of its own instead
         */
        boolean pageIsPoor(String reason);
    }

    /**
     * The app's end of a session; the browser tells here what became of the verification, and of
     * its pages.
     */
    static final class Session extends Binder {
        /** Null until the browser has said. */
        volatile Boolean verified;

        private final Context context;
        private final String browser;

        /** Null once nobody looks any more: the browser may keep its end for long. */
        private volatile Watcher watcher;

        /**
         * @param browser the package whose session it is
         */
        Session(Context context, Watcher watcher, String browser) {
            this.browser = browser;
            this.context = context.getApplicationContext();
            this.watcher = watcher;
            attachInterface(null, CALLBACK);
        }

        void close() {
            watcher = null;
        }

        @Override
        protected boolean onTransact(int code, Parcel data, Parcel reply, int flags)
                throws RemoteException {
            Watcher watcher = this.watcher;
            if (code == INTERFACE_TRANSACTION) {
                reply.writeString(CALLBACK);
                return true;
            }
            if (code == ON_RELATIONSHIP_RESULT) {
                data.enforceInterface(CALLBACK);
                int relation = data.readInt();
                Uri origin = data.readInt() == 0 ? null : Uri.CREATOR.createFromParcel(data);
                boolean result = data.readInt() != 0;
                if (relation == HANDLE_ALL_URLS) {
                    verified = result;
                    if (result) {
                        // From now on it may post and ask in the app's name.
                        TrustedBrowser.remember(context, browser);
                    } else {
                        TrustedBrowser.forget(context);
                        Log.w(
                                "hull",
                                "The browser did not verify that this app belongs to "
                                        + origin
                                        + ": it shows a bar with the address. Compare the"
                                        + " certificate of this package with the host's"
                                        + " /.well-known/assetlinks.json.");
                    }
                }
                if (reply != null) {
                    reply.writeNoException();
                }
                return true;
            }
            if (code == ON_NAVIGATION_EVENT && watcher != null) {
                data.enforceInterface(CALLBACK);
                int event = data.readInt();
                if (event == PAGE_FINISHED) {
                    watcher.pageLoaded();
                } else if (event == PAGE_FAILED) {
                    watcher.pageFailed();
                }
            } else if (code == EXTRA_CALLBACK_WITH_RESULT) {
                data.enforceInterface(CALLBACK);
                boolean isPoor = POOR_PAGE.equals(data.readString());
                String reason = readBundle(data).getString(POOR_PAGE_REASON);
                Bundle answer = new Bundle();
                answer.putBoolean(
                        DEALT_WITH, isPoor && watcher != null && watcher.pageIsPoor(reason));
                if (reply != null) {
                    reply.writeNoException();
                    writeBundle(reply, answer);
                }
            }
            // Messages and the rest, which this app does not use, are taken and let be.
            return code >= FIRST_CALL_TRANSACTION && code <= LAST_CALL_TRANSACTION;
        }
    }

    private interface Arguments {
        void write(Parcel data);
    }

    private static boolean call(IBinder service, int code, Arguments arguments) {
        Parcel data = Parcel.obtain();
        Parcel reply = Parcel.obtain();
        try {
            data.writeInterfaceToken(SERVICE);
            arguments.write(data);
            if (!service.transact(code, data, reply, 0)) {
                return false;
            }
            reply.readException();
            return reply.readInt() != 0;
        } catch (RemoteException | RuntimeException e) {
            // The browser went away, or refuses: the caller has another way.
            return false;
        } finally {
            data.recycle();
            reply.recycle();
        }
    }

    static boolean warmUp(IBinder service) {
        return call(
                service,
                WARMUP,
                new Arguments() {
                    @Override
                    public void write(Parcel data) {
                        data.writeLong(0);
                    }
                });
    }

    static boolean newSession(IBinder service, final Session session) {
        return call(
                service,
                NEW_SESSION,
                new Arguments() {
                    @Override
                    public void write(Parcel data) {
                        data.writeStrongBinder(session);
                    }
                });
    }

    /** The page that is opened next: the browser may begin to connect. */
    static boolean mayLaunch(IBinder service, final Session session, final Uri url) {
        return call(
                service,
                MAY_LAUNCH_URL,
                new Arguments() {
                    @Override
                    public void write(Parcel data) {
                        data.writeStrongBinder(session);
                        writeUri(data, url);
                        writeBundle(data, null);
                        data.writeTypedList(null);
                    }
                });
    }

    /** Asks the browser to verify that the app belongs to an origin. */
    static boolean validate(IBinder service, final Session session, final Uri origin) {
        return call(
                service,
                VALIDATE_RELATIONSHIP,
                new Arguments() {
                    @Override
                    public void write(Parcel data) {
                        data.writeStrongBinder(session);
                        data.writeInt(HANDLE_ALL_URLS);
                        writeUri(data, origin);
                        writeBundle(data, null);
                    }
                });
    }

    /** Hands over the start picture; the browser must have been granted it. */
    static boolean giveSplash(IBinder service, final Session session, final Uri picture) {
        return call(
                service,
                RECEIVE_FILE,
                new Arguments() {
                    @Override
                    public void write(Parcel data) {
                        data.writeStrongBinder(session);
                        writeUri(data, picture);
                        data.writeInt(SPLASH_PICTURE);
                        writeBundle(data, null);
                    }
                });
    }

    private static void writeUri(Parcel data, Uri uri) {
        data.writeInt(1);
        uri.writeToParcel(data, 0);
    }

    /** A bundle of a call; an empty one where none was sent. */
    static Bundle readBundle(Parcel data) {
        if (data.readInt() == 0) {
            return new Bundle();
        }
        Bundle bundle = Bundle.CREATOR.createFromParcel(data);
        // What is in it may be the browser's; classes of ours are not among it.
        bundle.setClassLoader(TabsProtocol.class.getClassLoader());
        return bundle;
    }

    static void writeBundle(Parcel data, Bundle bundle) {
        if (bundle == null) {
            data.writeInt(0);
        } else {
            data.writeInt(1);
            bundle.writeToParcel(data, 0);
        }
    }
}
