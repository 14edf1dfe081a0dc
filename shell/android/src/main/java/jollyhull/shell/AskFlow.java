package jollyhull.shell;

import android.app.Activity;
import android.app.AlertDialog;
import android.content.Intent;
import android.net.Uri;
import android.os.Bundle;
import android.os.SystemClock;
import android.provider.Settings;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * Asks for what a page wants: first the app says why, then the system asks. What the package does
 * not declare is refused without a word.
 *
 * <p>The system is asked each time: whether it still shows its question depends on more than what
 * happened here (it takes answers back, forgets them on a new phone, and does not count a dialog
 * that was swiped away). Where it refuses by itself, the way to the app's settings is shown.
 */
final class AskFlow {
    interface Answer {
        void answer(boolean granted);
    }

    /** Nobody reads a question and answers it in less. */
    private static final long BY_ITSELF_MS = 500;

    private static final String CODE = "ask.code";
    private static final String NAME = "ask.name";
    private static final String EXPLAINED = "ask.explained";

    /** What the system has refused by itself since the app's process began, by W3C name. */
    private static final Set<String> REFUSED = Collections.synchronizedSet(new HashSet<String>());

    private static final class Question {
        final Permission permission;
        final Answer answer;

        /**
         * Whether the system wanted a reason before it was asked: it does so where it was refused
         * once.
         */
        boolean explained;

        long askedAt;

        Question(Permission permission, Answer answer) {
            this.permission = permission;
            this.answer = answer;
        }
    }

    private final Activity activity;
    private final ShellSettings settings;
    private final Dialogs dialogs;
    private final ArrayDeque<Question> waiting = new ArrayDeque<Question>();

    /** Answers to what only the app asks, until it ends. */
    private final Map<String, Boolean> answered = new HashMap<String, Boolean>();

    /** Capabilities that the system denied without a sign that it had asked, the last time. */
    private final Set<String> unclear = new HashSet<String>();

    private Question current;
    private int code = RequestCodes.FIRST_PERMISSION;

    /** Whether the system is asking. */
    private boolean isAsking;

    AskFlow(Activity activity, ShellSettings settings, Dialogs dialogs) {
        this.activity = activity;
        this.settings = settings;
        this.dialogs = dialogs;
    }

    /**
     * Asks for a capability by its W3C name; the answer comes at once where nobody has to be asked.
     */
    void ask(String capability, Answer answer) {
        Permission permission = settings.permissions.get(capability);
        if (permission == null) {
            answer.answer(false);
            return;
        }
        waiting.add(new Question(permission, answer));
        next();
    }

    private void next() {
        if (current != null || waiting.isEmpty()) {
            return;
        }
        current = waiting.poll();
        Permission permission = current.permission;
        Boolean before = answered.get(permission.name);
        if (permission.system.isEmpty() ? before != null : permission.suffices(activity)) {
            finish(permission.system.isEmpty() ? before : true);
        } else {
            showReason(permission);
        }
    }

    private void finish(boolean granted) {
        Question question = current;
        if (question == null) {
            return;
        }
        current = null;
        isAsking = false;
        if (granted) {
            REFUSED.remove(question.permission.name);
            unclear.remove(question.permission.name);
        }
        question.answer.answer(granted);
        next();
    }

    /** Whether the system has refused a capability by itself since the app's process began. */
    static boolean isRefused(String capability) {
        return REFUSED.contains(capability);
    }

    private boolean wantsReason(Permission permission) {
        for (String one : permission.missing(activity)) {
            if (activity.shouldShowRequestPermissionRationale(one)) {
                return true;
            }
        }
        return false;
    }

    private void showReason(final Permission permission) {
        final boolean own = permission.system.isEmpty();
        final Runnable refused =
                new Runnable() {
                    @Override
                    public void run() {
                        if (own) {
                            answered.put(permission.name, false);
                        }
                        finish(false);
                    }
                };
        Runnable agreed =
                new Runnable() {
                    @Override
                    public void run() {
                        if (own) {
                            answered.put(permission.name, true);
                            finish(true);
                        } else {
                            request(permission);
                        }
                    }
                };
        show(permission.reason, settings.word(own ? "allow" : "askYes"), agreed, refused);
    }

    private void showWayToSettings(Permission permission) {
        final Runnable refused =
                new Runnable() {
                    @Override
                    public void run() {
                        finish(false);
                    }
                };
        Runnable agreed =
                new Runnable() {
                    @Override
                    public void run() {
                        Uri self = Uri.fromParts("package", activity.getPackageName(), null);
                        activity.startActivity(
                                new Intent(Settings.ACTION_APPLICATION_DETAILS_SETTINGS, self));
                        finish(false);
                    }
                };
        show(
                permission.reason + "\n\n" + settings.word("refused"),
                settings.word("settings"),
                agreed,
                refused);
    }

    private void show(String message, String yes, Runnable agreed, Runnable refused) {
        AlertDialog.Builder builder =
                dialogs.builder()
                        .setTitle(settings.name)
                        .setMessage(message)
                        .setPositiveButton(yes, Dialogs.onClick(agreed))
                        .setNegativeButton(settings.word("askNo"), Dialogs.onClick(refused));
        dialogs.show(builder, refused);
    }

    private void request(Permission permission) {
        List<String> missing = permission.missing(activity);
        if (missing.isEmpty()) {
            // Granted in the settings while the reason was shown; the system refuses to ask for
            // nothing.
            finish(true);
            return;
        }
        current.explained = wantsReason(permission);
        current.askedAt = SystemClock.elapsedRealtime();
        isAsking = true;
        code++;
        activity.requestPermissions(missing.toArray(new String[0]), code);
    }

    /**
     * The system's answer. It refused by itself where it wanted a reason neither before nor after,
     * and either answered faster than anyone could or did so twice; a dialog that is swiped away
     * looks the same, but for the time.
     */
    void onResult(int requestCode) {
        if (requestCode != code || current == null) {
            return;
        }
        Permission permission = current.permission;
        if (permission.suffices(activity)) {
            finish(true);
            return;
        }
        isAsking = false;
        if (current.explained || wantsReason(permission)) {
            unclear.remove(permission.name);
            REFUSED.remove(permission.name);
            finish(false);
            return;
        }
        boolean isFast = SystemClock.elapsedRealtime() - current.askedAt < BY_ITSELF_MS;
        if (isFast || !unclear.add(permission.name)) {
            REFUSED.add(permission.name);
            showWayToSettings(permission);
        } else {
            finish(false);
        }
    }

    /** Keeps a question that the system is still asking. */
    void save(Bundle state) {
        if (isAsking && current != null) {
            state.putInt(CODE, code);
            state.putString(NAME, current.permission.name);
            state.putBoolean(EXPLAINED, current.explained);
        }
    }

    /** Waits on for the answer to a question that was kept; false where there is none. */
    boolean resume(Bundle state, Answer answer) {
        Permission permission =
                state == null ? null : settings.permissions.get(state.getString(NAME, ""));
        if (permission == null) {
            return false;
        }
        current = new Question(permission, answer);
        current.explained = state.getBoolean(EXPLAINED);
        code = state.getInt(CODE);
        isAsking = true;
        return true;
    }

    /** The window goes away: pages get a no. */
    void close() {
        List<Question> left = new ArrayList<Question>(waiting);
        waiting.clear();
        if (current != null && !isAsking) {
            left.add(0, current);
        }
        current = null;
        for (Question question : left) {
            question.answer.answer(false);
        }
    }
}
