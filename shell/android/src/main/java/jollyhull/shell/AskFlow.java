package jollyhull.shell;

import android.app.Activity;
import android.app.AlertDialog;
import android.content.Context;
import android.content.DialogInterface;
import android.content.Intent;
import android.content.SharedPreferences;
import android.net.Uri;
import android.provider.Settings;
import java.util.ArrayDeque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/**
 * Asks for what a page wants: first the app says why, then the system asks. What was refused for good is answered with the
 * way to the app's settings. What the package does not declare is refused without a word.
 */
final class AskFlow {
    interface Answer {
        void answer(boolean granted);
    }

    /** First of the request codes; each question has its own. */
    static final int FIRST_CODE = 4000;

    private static final String ASKED = "asked";

    private static final class Question {
        final Permission permission;
        final Answer answer;

        Question(Permission permission, Answer answer) {
            this.permission = permission;
            this.answer = answer;
        }
    }

    private final Activity activity;
    private final ShellSettings settings;
    private final ArrayDeque<Question> waiting = new ArrayDeque<Question>();
    /** Answers to what only the app asks, until it ends. */
    private final Map<String, Boolean> answered = new HashMap<String, Boolean>();
    private Question current;
    private AlertDialog dialog;
    private int code = FIRST_CODE;

    AskFlow(Activity activity, ShellSettings settings) {
        this.activity = activity;
        this.settings = settings;
    }

    /** Asks for a capability by its W3C name; the answer comes at once where nobody has to be asked. */
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
        } else if (!permission.system.isEmpty() && isRefusedForGood(permission)) {
            showWayToSettings(permission);
        } else {
            showReason(permission);
        }
    }

    private void finish(boolean granted) {
        Question question = current;
        current = null;
        dialog = null;
        question.answer.answer(granted);
        next();
    }

    private SharedPreferences asked() {
        return activity.getSharedPreferences("hull", Context.MODE_PRIVATE);
    }

    /** The system asks at most twice; afterwards it refuses by itself, and says so only by showing no reason. */
    boolean isRefusedForGood(Permission permission) {
        if (!asked().getBoolean(ASKED + "." + permission.name, false)) {
            return false;
        }
        for (String one : permission.missing(activity)) {
            if (activity.shouldShowRequestPermissionRationale(one)) {
                return false;
            }
        }
        return true;
    }

    private void showReason(final Permission permission) {
        final boolean own = permission.system.isEmpty();
        AlertDialog.Builder builder = new AlertDialog.Builder(activity)
                .setTitle(settings.name)
                .setMessage(permission.reason)
                .setPositiveButton(settings.word(own ? "allow" : "askYes"), new DialogInterface.OnClickListener() {
                    @Override
                    public void onClick(DialogInterface source, int which) {
                        if (own) {
                            answered.put(permission.name, true);
                            finish(true);
                        } else {
                            request(permission);
                        }
                    }
                });
        show(builder, settings.word("askNo"), new Runnable() {
            @Override
            public void run() {
                if (own) {
                    answered.put(permission.name, false);
                }
                finish(false);
            }
        });
    }

    private void showWayToSettings(Permission permission) {
        AlertDialog.Builder builder = new AlertDialog.Builder(activity)
                .setTitle(settings.name)
                .setMessage(permission.reason + "\n\n" + settings.word("refused"))
                .setPositiveButton(settings.word("settings"), new DialogInterface.OnClickListener() {
                    @Override
                    public void onClick(DialogInterface source, int which) {
                        Uri self = Uri.fromParts("package", activity.getPackageName(), null);
                        activity.startActivity(new Intent(Settings.ACTION_APPLICATION_DETAILS_SETTINGS, self));
                        finish(false);
                    }
                });
        show(builder, settings.word("askNo"), new Runnable() {
            @Override
            public void run() {
                finish(false);
            }
        });
    }

    private void show(AlertDialog.Builder builder, String no, final Runnable refused) {
        builder.setNegativeButton(no, new DialogInterface.OnClickListener() {
            @Override
            public void onClick(DialogInterface source, int which) {
                refused.run();
            }
        });
        builder.setOnCancelListener(new DialogInterface.OnCancelListener() {
            @Override
            public void onCancel(DialogInterface source) {
                refused.run();
            }
        });
        dialog = builder.show();
    }

    private void request(Permission permission) {
        List<String> missing = permission.missing(activity);
        if (missing.isEmpty()) {
            // Granted in the settings while the reason was shown; the system refuses to ask for nothing.
            finish(true);
            return;
        }
        asked().edit().putBoolean(ASKED + "." + permission.name, true).apply();
        code++;
        activity.requestPermissions(missing.toArray(new String[0]), code);
    }

    /** The system's answer. */
    void onResult(int requestCode) {
        if (requestCode == code && current != null) {
            finish(current.permission.suffices(activity));
        }
    }

    /** The window goes away: dialogs with it, and pages get a no. */
    void close() {
        waiting.clear();
        if (dialog != null) {
            dialog.dismiss();
            dialog = null;
        }
        current = null;
    }
}
