package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertSame;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Application;
import android.app.Notification;
import android.app.NotificationManager;
import android.content.ComponentName;
import android.content.Context;
import android.content.Intent;
import android.media.MediaMetadata;
import android.media.session.MediaController;
import android.media.session.MediaSession;
import android.media.session.PlaybackState;
import android.os.Build;
import android.os.Looper;
import android.webkit.WebView;

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
import org.robolectric.android.controller.ServiceController;
import org.robolectric.annotation.Config;
import org.robolectric.annotation.Implementation;
import org.robolectric.annotation.Implements;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/** What pages play goes on while another app is on screen, and the system's controls reach it. */
@RunWith(RobolectricTestRunner.class)
@Config(
        minSdk = 24,
        shadows = {FakeWorkers.class, PlaybackTest.Session.class})
public class PlaybackTest {
    /** What the system is told: the framework's tests have no sessions. */
    @Implements(MediaSession.class)
    public static final class Session {
        static MediaMetadata about;
        static PlaybackState state;
        static MediaSession.Callback callback;
        static boolean isReleased;

        @Implementation
        protected void __constructor__(Context context, String tag) {
            isReleased = false;
        }

        @Implementation
        protected void setCallback(MediaSession.Callback given) {
            callback = given;
        }

        @Implementation
        protected void setFlags(int flags) {}

        @Implementation
        protected void setActive(boolean active) {}

        @Implementation
        protected void setMetadata(MediaMetadata given) {
            about = given;
        }

        @Implementation
        protected void setPlaybackState(PlaybackState given) {
            state = given;
        }

        @Implementation
        protected MediaSession.Token getSessionToken() {
            return null;
        }

        @Implementation
        protected MediaController getController() {
            return null;
        }

        @Implementation
        protected void release() {
            isReleased = true;
        }
    }

    public static final class Opened extends GivenActivity {}

    private final Application app = RuntimeEnvironment.getApplication();
    private final NotificationManager manager =
            (NotificationManager) app.getSystemService(Context.NOTIFICATION_SERVICE);
    private ActivityController<Opened> controller;
    private WebView pages;
    private Playback playback;
    private ServiceController<PlayService> service;

    @Before
    public void open() throws Exception {
        Background.executor = Runnable::run;
        Playback.current = null;
        PlayService.running = null;
        GivenActivity.json = TestSite.json("/", false).put("plays", true);
        shadowOf(app.getPackageManager())
                .addActivityIfNotPresent(new ComponentName(app, Opened.class));
        controller = Robolectric.buildActivity(Opened.class).setup();
        pages = TestSite.find(TestSite.root(controller.get()), WebView.class);
        playback = new Playback(controller.get(), controller.get().readSettings(), pages);
    }

    @After
    public void close() {
        GivenActivity.json = null;
    }

    private static JSONObject told(String state, String... actions) throws Exception {
        return new JSONObject()
                .put("state", state)
                .put("title", "Harbour talk")
                .put("artist", "Saltmarsh Radio")
                .put("actions", new JSONArray(Arrays.asList(actions)))
                .put("duration", 61.5)
                .put("position", 2.25)
                .put("rate", 1);
    }

    /** The service that was asked for, started as the system does. */
    private PlayService start() {
        Intent asked = shadowOf(app).getNextStartedService();
        assertNotNull("the app is kept alive", asked);
        assertEquals(PlayService.class.getName(), asked.getComponent().getClassName());
        service = Robolectric.buildService(PlayService.class, asked).create().startCommand(0, 1);
        return service.get();
    }

    private Notification shown() {
        return shadowOf(service.get()).getLastForegroundNotification();
    }

    private static List<String> buttons(Notification notification) {
        List<String> titles = new ArrayList<>();
        for (Notification.Action action : notification.actions) {
            titles.add(String.valueOf(action.title));
        }
        return titles;
    }

    @Test
    public void whatPlaysHasControls() throws Exception {
        playback.said(told("playing", "nexttrack", "seekto"));
        PlayService running = start();
        assertTrue(playback.isPlaying());
        assertEquals("Harbour talk", Session.about.getString(MediaMetadata.METADATA_KEY_TITLE));
        assertEquals("Saltmarsh Radio", Session.about.getString(MediaMetadata.METADATA_KEY_ARTIST));
        assertEquals(61500, Session.about.getLong(MediaMetadata.METADATA_KEY_DURATION));
        assertEquals(PlaybackState.STATE_PLAYING, Session.state.getState());
        assertEquals(2250, Session.state.getPosition());
        long can = Session.state.getActions();
        assertTrue((can & PlaybackState.ACTION_SKIP_TO_NEXT) != 0);
        assertTrue((can & PlaybackState.ACTION_SEEK_TO) != 0);
        assertEquals("not offered", 0, can & PlaybackState.ACTION_SKIP_TO_PREVIOUS);
        assertEquals("Harbour talk", shown().extras.getString(Notification.EXTRA_TITLE));
        assertEquals(Arrays.asList("Pause", "Next track"), buttons(shown()));
        if (Build.VERSION.SDK_INT >= 26) {
            assertEquals("media", shown().getChannelId());
        }

        playback.said(told("paused", "previoustrack"));
        assertEquals(PlaybackState.STATE_PAUSED, Session.state.getState());
        assertEquals(Arrays.asList("Previous track", "Play"), buttons(shown()));
        assertTrue("can be swiped away", shadowOf(running).isForegroundStopped());
        assertFalse("and is there until then", shadowOf(running).isStoppedBySelf());

        playback.said(told("none"));
        assertTrue(Session.isReleased);
        assertTrue(shadowOf(running).isStoppedBySelf());
        assertTrue(shadowOf(running).getNotificationShouldRemoved());
        assertNull(Playback.current);
    }

    @Test
    public void controlsReachThePage() throws Exception {
        playback.said(told("playing"));
        Session.callback.onSeekTo(12500);
        assertEquals(
                "window.hullMedia && hullMedia.act('seekto', 12.5)",
                shadowOf(pages).getLastEvaluatedJavascript());
        Session.callback.onPause();
        assertEquals(
                "window.hullMedia && hullMedia.act('pause', -1.0)",
                shadowOf(pages).getLastEvaluatedJavascript());
        start();
        service.get().onStartCommand(new Intent("nexttrack"), 0, 2);
        assertEquals(
                "window.hullMedia && hullMedia.act('nexttrack', -1.0)",
                shadowOf(pages).getLastEvaluatedJavascript());
    }

    @Test
    public void aPictureIsShownOnceItIsRead() throws Exception {
        playback.said(told("playing"));
        start();
        assertNull(shown().getLargeIcon());
        playback.picture(
                "data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR4nGNgYGD4DwABBAEAX+XDSwAAAABJRU5ErkJggg==");
        shadowOf(Looper.getMainLooper()).idle();
        assertNotNull(Session.about.getBitmap(MediaMetadata.METADATA_KEY_ART));
        assertNotNull(shown().getLargeIcon());
        playback.picture("");
        shadowOf(Looper.getMainLooper()).idle();
        assertNull(Session.about.getBitmap(MediaMetadata.METADATA_KEY_ART));
    }

    @Test
    public void pagesGoOnInTheBackgroundOnlyWhileTheyPlay() throws Exception {
        controller.pause().stop();
        assertTrue("nothing plays", shadowOf(pages).wasOnPauseCalled());
        open();
        Playback own = (Playback) field("playback");
        own.said(told("playing"));
        controller.pause().stop();
        assertFalse("it plays", shadowOf(pages).wasOnPauseCalled());
        controller.destroy();
        assertTrue("with the page the sound ends", Session.isReleased);
    }

    @Test
    public void aPageOfSomebodyElsesEndsIt() throws Exception {
        Playback own = (Playback) field("playback");
        own.said(told("playing"));
        shadowOf(pages)
                .getWebViewClient()
                .doUpdateVisitedHistory(pages, "https://bank.saltmarsh.example/", false);
        assertTrue(Session.isReleased);
        assertFalse(own.isPlaying());
    }

    @Test
    public void aServiceWithNothingToPlayEnds() throws Exception {
        playback.said(told("playing"));
        playback.end();
        start();
        assertTrue(
                "the system is owed something to show, which is taken away at once",
                shadowOf(service.get()).isForegroundStopped());
        assertTrue(shadowOf(service.get()).isStoppedBySelf());
        assertNull(PlayService.running);
        playback.said(told("playing"));
        start();
        assertSame(service.get(), PlayService.running);
        service.get().onTaskRemoved(null);
        assertTrue("the app was swiped away", shadowOf(service.get()).isStoppedBySelf());
        assertEquals(0, manager.getActiveNotifications().length);
    }

    private Object field(String name) throws Exception {
        java.lang.reflect.Field field = PageActivity.class.getDeclaredField(name);
        field.setAccessible(true);
        return field.get(controller.get());
    }
}
