package jollyhull.shell;

import android.app.Activity;
import android.app.AlertDialog;
import android.content.DialogInterface;

import java.util.ArrayList;
import java.util.List;

/** Dialogs in the platform's own look, by day and night; none outlives its window. */
final class Dialogs {
    private final Activity activity;
    private final List<AlertDialog> open = new ArrayList<AlertDialog>();

    Dialogs(Activity activity) {
        this.activity = activity;
    }

    AlertDialog.Builder builder() {
        return new AlertDialog.Builder(
                activity,
                Colors.isNight(activity)
                        ? android.R.style.Theme_DeviceDefault_Dialog_Alert
                        : android.R.style.Theme_DeviceDefault_Light_Dialog_Alert);
    }

    /**
     * Shows a dialog, whose outcome comes once: by a button, or as a refusal.
     *
     * @param refused what follows where the user looks away, or the window goes
     */
    AlertDialog show(AlertDialog.Builder builder, final Runnable refused) {
        builder.setOnCancelListener(
                new DialogInterface.OnCancelListener() {
                    @Override
                    public void onCancel(DialogInterface source) {
                        refused.run();
                    }
                });
        final AlertDialog dialog = builder.create();
        dialog.setOnDismissListener(
                new DialogInterface.OnDismissListener() {
                    @Override
                    public void onDismiss(DialogInterface source) {
                        open.remove(dialog);
                    }
                });
        if (activity.isFinishing() || activity.isDestroyed()) {
            refused.run();
            return dialog;
        }
        open.add(dialog);
        dialog.show();
        return dialog;
    }

    static DialogInterface.OnClickListener onClick(final Runnable action) {
        return new DialogInterface.OnClickListener() {
            @Override
            public void onClick(DialogInterface source, int which) {
                action.run();
            }
        };
    }

    /**
     * The window goes, and its dialogs with it.
     *
     * @param refuses whether what still waits for an answer is refused, rather than asked again by
     *     the next window
     */
    void close(boolean refuses) {
        for (AlertDialog dialog : new ArrayList<AlertDialog>(open)) {
            if (refuses) {
                dialog.cancel();
            } else {
                dialog.dismiss();
            }
        }
    }
}
