package jollyhull.shell;

import android.app.Activity;
import android.util.Log;

import org.chromium.support_lib_boundary.JsReplyProxyBoundaryInterface;
import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

/**
 * How pages reach the shell where the engine has messages: only pages of the app's own origins find
 * the way, and the engine itself says that it is they who speak. A script (settings.port) has the
 * other end. A message is a JSON array: a number, what is wanted, and with what; an answer is the
 * number and a value.
 */
final class PagePort implements EngineSupport.Listener {
    /** Name under which pages find the port. */
    static final String NAME = "hullPort";

    private final Activity activity;
    private final ShellSettings settings;
    private final PageServices services;

    /** Set where pages have notifications. */
    private Notices notices;

    /** Set where what pages play goes on while the app is not on screen. */
    private Playback playback;

    PagePort(Activity activity, ShellSettings settings, PageServices services) {
        this.activity = activity;
        this.settings = settings;
        this.services = services;
    }

    void give(Notices notices) {
        this.notices = notices;
    }

    void give(Playback playback) {
        this.playback = playback;
    }

    @Override
    public void said(String text, JsReplyProxyBoundaryInterface reply) {
        try {
            JSONArray said = new JSONArray(text);
            serve(said.getString(1), said, reply);
        } catch (JSONException e) {
            Log.w("hull", "Malformed message from a page", e);
        }
    }

    private void serve(String what, final JSONArray said, final JsReplyProxyBoundaryInterface reply)
            throws JSONException {
        if (what.equals("call")) {
            services.call(said.getInt(2), said.getString(3), said.getString(4));
        } else if (what.equals("state")) {
            answer(reply, said, services.state(said.getString(2)));
        } else if (what.equals("take")) {
            final int number = said.getInt(2);
            final String data = said.getString(3);
            Background.run(
                    new Runnable() {
                        @Override
                        public void run() {
                            final boolean taken = services.take(number, data);
                            activity.runOnUiThread(
                                    new Runnable() {
                                        @Override
                                        public void run() {
                                            answer(reply, said, taken);
                                        }
                                    });
                        }
                    });
        } else if (settings.plays() && what.equals("media")) {
            playback.said(new JSONObject(said.getString(2)));
        } else if (settings.plays() && what.equals("picture")) {
            playback.picture(said.getString(2));
        } else if (settings.notifies()) {
            serveNotices(what, said, reply);
        }
    }

    private void serveNotices(
            String what, final JSONArray said, final JsReplyProxyBoundaryInterface reply)
            throws JSONException {
        if (what.equals("show")) {
            notices.show(said.getString(2));
        } else if (what.equals("close")) {
            notices.close(said.getString(2));
        } else if (what.equals("notices")) {
            answer(reply, said, notices.state());
        } else if (what.equals("ask")) {
            notices.ask(
                    new AskFlow.Answer() {
                        @Override
                        public void answer(boolean granted) {
                            PagePort.answer(reply, said, notices.state());
                        }
                    });
        }
    }

    private static void answer(JsReplyProxyBoundaryInterface reply, JSONArray said, Object value) {
        try {
            reply.postMessage(new JSONArray().put(said.opt(0)).put(value).toString());
        } catch (RuntimeException e) {
            Log.i("hull", "Page is gone", e);
        }
    }
}
