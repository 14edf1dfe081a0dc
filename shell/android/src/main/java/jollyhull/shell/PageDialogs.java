package jollyhull.shell;

import android.app.Activity;
import android.text.InputType;
import android.webkit.HttpAuthHandler;
import android.webkit.JsPromptResult;
import android.webkit.JsResult;
import android.widget.EditText;
import android.widget.LinearLayout;

/**
 * The dialogs of pages, under the app's name for its own and the asking host's for others, and the
 * sign-in of HTTP.
 */
final class PageDialogs {
    private static final int SIDE_DP = 20;

    private final Activity activity;
    private final ShellSettings settings;
    private final Dialogs dialogs;

    PageDialogs(Activity activity, ShellSettings settings, Dialogs dialogs) {
        this.activity = activity;
        this.settings = settings;
        this.dialogs = dialogs;
    }

    private static Runnable confirming(final JsResult result) {
        return new Runnable() {
            @Override
            public void run() {
                result.confirm();
            }
        };
    }

    private static Runnable cancelling(final JsResult result) {
        return new Runnable() {
            @Override
            public void run() {
                result.cancel();
            }
        };
    }

    /** A question with two answers; who looks away says no. */
    private void ask(
            String title,
            String message,
            LinearLayout fields,
            String yes,
            String no,
            Runnable agreed,
            Runnable refused) {
        android.app.AlertDialog.Builder builder =
                dialogs.builder()
                        .setTitle(title)
                        .setMessage(message)
                        .setPositiveButton(yes, Dialogs.onClick(agreed));
        if (no != null) {
            builder.setNegativeButton(no, Dialogs.onClick(refused));
        }
        if (fields != null) {
            builder.setView(fields);
        }
        dialogs.show(builder, refused);
    }

    private String named(String asker) {
        return asker == null ? settings.name : asker;
    }

    /**
     * @param asker whose dialog it is; null for the app itself
     */
    void alert(String asker, String message, JsResult result) {
        ask(
                named(asker),
                message,
                null,
                settings.word("ok"),
                null,
                confirming(result),
                cancelling(result));
    }

    void confirm(String asker, String message, JsResult result) {
        ask(
                named(asker),
                message,
                null,
                settings.word("ok"),
                settings.word("cancel"),
                confirming(result),
                cancelling(result));
    }

    void leave(String message, JsResult result) {
        ask(
                settings.word("leaveTitle"),
                message,
                null,
                settings.word("leave"),
                settings.word("stay"),
                confirming(result),
                cancelling(result));
    }

    void prompt(String asker, String message, String value, final JsPromptResult result) {
        final EditText field = new EditText(activity);
        field.setText(value);
        field.setSingleLine();
        Runnable agreed =
                new Runnable() {
                    @Override
                    public void run() {
                        result.confirm(field.getText().toString());
                    }
                };
        ask(
                named(asker),
                message,
                padded(field),
                settings.word("ok"),
                settings.word("cancel"),
                agreed,
                cancelling(result));
    }

    void signIn(String host, final HttpAuthHandler handler) {
        final EditText user = new EditText(activity);
        user.setHint(settings.word("user"));
        user.setSingleLine();
        final EditText password = new EditText(activity);
        password.setHint(settings.word("password"));
        password.setInputType(InputType.TYPE_CLASS_TEXT | InputType.TYPE_TEXT_VARIATION_PASSWORD);
        Runnable agreed =
                new Runnable() {
                    @Override
                    public void run() {
                        handler.proceed(user.getText().toString(), password.getText().toString());
                    }
                };
        Runnable refused =
                new Runnable() {
                    @Override
                    public void run() {
                        handler.cancel();
                    }
                };
        ask(
                settings.word("signIn"),
                host,
                padded(user, password),
                settings.word("signIn"),
                settings.word("cancel"),
                agreed,
                refused);
    }

    /** Whether what was entered into a form is sent once more: it may be an order, or a payment. */
    void sendAgain(Runnable agreed, Runnable refused) {
        ask(
                settings.name,
                settings.word("sendAgain"),
                null,
                settings.word("send"),
                settings.word("cancel"),
                agreed,
                refused);
    }

    private LinearLayout padded(EditText... fields) {
        LinearLayout box = new LinearLayout(activity);
        box.setOrientation(LinearLayout.VERTICAL);
        int side = Pixels.of(activity, SIDE_DP);
        box.setPadding(side, 0, side, 0);
        for (EditText field : fields) {
            box.addView(field);
        }
        return box;
    }
}
