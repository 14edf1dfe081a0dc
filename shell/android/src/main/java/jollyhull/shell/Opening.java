package jollyhull.shell;

import android.app.Activity;
import android.app.AlertDialog;
import android.content.ActivityNotFoundException;
import android.content.Intent;
import android.net.Uri;

/** What was saved can be opened: a ticket that nobody finds again is no ticket. */
final class Opening {
    private Opening() {}

    static void offer(
            final Activity activity,
            final ShellSettings settings,
            Dialogs dialogs,
            final Uri document) {
        AlertDialog.Builder builder =
                dialogs.builder()
                        .setMessage(settings.word("saved"))
                        .setPositiveButton(
                                settings.word("open"),
                                Dialogs.onClick(
                                        new Runnable() {
                                            @Override
                                            public void run() {
                                                open(activity, settings, document);
                                            }
                                        }))
                        .setNegativeButton(settings.word("close"), null);
        dialogs.show(
                builder,
                new Runnable() {
                    @Override
                    public void run() {}
                });
    }

    private static void open(Activity activity, ShellSettings settings, Uri document) {
        Intent intent =
                new Intent(Intent.ACTION_VIEW)
                        .setDataAndType(document, activity.getContentResolver().getType(document))
                        .addFlags(Intent.FLAG_GRANT_READ_URI_PERMISSION);
        try {
            activity.startActivity(intent);
        } catch (ActivityNotFoundException | SecurityException e) {
            OutsideLinks.sayNoApp(activity, settings);
        }
    }
}
