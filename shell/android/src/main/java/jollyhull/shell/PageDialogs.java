package jollyhull.shell;

import android.app.Activity;
import android.app.AlertDialog;
import android.content.DialogInterface;
import android.text.InputType;
import android.webkit.HttpAuthHandler;
import android.webkit.JsPromptResult;
import android.webkit.JsResult;
import android.widget.EditText;
import android.widget.LinearLayout;

/** The dialogs of pages, under the app's name for its own and the asking host's for others, and the sign-in of HTTP. */
final class PageDialogs {
    private static final int SIDE_DP = 20;

    private final Activity activity;
    private final ShellSettings settings;

    PageDialogs(Activity activity, ShellSettings settings) {
        this.activity = activity;
        this.settings = settings;
    }

    private AlertDialog.Builder builder(String title, String message) {
        return new AlertDialog.Builder(activity).setTitle(title).setMessage(message);
    }

    /** @param asker whose dialog it is; null for the app itself */
    void alert(String asker, String message, final JsResult result) {
        builder(asker == null ? settings.name : asker, message)
                .setPositiveButton(settings.word("ok"), confirming(result))
                .setOnCancelListener(refusing(result))
                .show();
    }

    void confirm(String asker, String message, JsResult result) {
        builder(asker == null ? settings.name : asker, message)
                .setPositiveButton(settings.word("ok"), confirming(result))
                .setNegativeButton(settings.word("cancel"), denying(result))
                .setOnCancelListener(refusing(result))
                .show();
    }

    void leave(String message, JsResult result) {
        builder(settings.word("leaveTitle"), message)
                .setPositiveButton(settings.word("leave"), confirming(result))
                .setNegativeButton(settings.word("stay"), denying(result))
                .setOnCancelListener(refusing(result))
                .show();
    }

    void prompt(String asker, String message, String value, final JsPromptResult result) {
        final EditText field = new EditText(activity);
        field.setText(value);
        field.setSingleLine();
        builder(asker == null ? settings.name : asker, message)
                .setView(padded(field))
                .setPositiveButton(settings.word("ok"), new DialogInterface.OnClickListener() {
                    @Override
                    public void onClick(DialogInterface source, int which) {
                        result.confirm(field.getText().toString());
                    }
                })
                .setNegativeButton(settings.word("cancel"), denying(result))
                .setOnCancelListener(refusing(result))
                .show();
    }

    void signIn(String host, final HttpAuthHandler handler) {
        final EditText user = new EditText(activity);
        user.setHint(settings.word("user"));
        user.setSingleLine();
        final EditText password = new EditText(activity);
        password.setHint(settings.word("password"));
        password.setInputType(InputType.TYPE_CLASS_TEXT | InputType.TYPE_TEXT_VARIATION_PASSWORD);
        builder(settings.word("signIn"), host)
                .setView(padded(user, password))
                .setPositiveButton(settings.word("signIn"), new DialogInterface.OnClickListener() {
                    @Override
                    public void onClick(DialogInterface source, int which) {
                        handler.proceed(user.getText().toString(), password.getText().toString());
                    }
                })
                .setNegativeButton(settings.word("cancel"), new DialogInterface.OnClickListener() {
                    @Override
                    public void onClick(DialogInterface source, int which) {
                        handler.cancel();
                    }
                })
                .setOnCancelListener(new DialogInterface.OnCancelListener() {
                    @Override
                    public void onCancel(DialogInterface source) {
                        handler.cancel();
                    }
                })
                .show();
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

    private static DialogInterface.OnClickListener confirming(final JsResult result) {
        return new DialogInterface.OnClickListener() {
            @Override
            public void onClick(DialogInterface source, int which) {
                result.confirm();
            }
        };
    }

    private static DialogInterface.OnClickListener denying(final JsResult result) {
        return new DialogInterface.OnClickListener() {
            @Override
            public void onClick(DialogInterface source, int which) {
                result.cancel();
            }
        };
    }

    private static DialogInterface.OnCancelListener refusing(final JsResult result) {
        return new DialogInterface.OnCancelListener() {
            @Override
            public void onCancel(DialogInterface source) {
                result.cancel();
            }
        };
    }
}
