package jollyhull.shell;

import android.app.Activity;
import android.content.Context;
import android.content.Intent;
import android.os.Bundle;
import android.os.Message;
import android.os.Messenger;
import android.os.RemoteException;
import android.util.Log;

/**
 * Asks over the browser's pages for what the app itself needs: its reason first, then the system's
 * question.
 */
public class AskActivity extends Activity {
    /** Where the answer goes; the browsers' own name for it. */
    static final String MESSENGER = "messenger";

    private static final String CAPABILITY = "capability";

    private Dialogs dialogs;
    private AskFlow flow;

    static Intent intent(Context context, String capability) {
        return new Intent(context, AskActivity.class).putExtra(CAPABILITY, capability);
    }

    ShellSettings readSettings() {
        return ShellSettings.of(this);
    }

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        dialogs = new Dialogs(this);
        flow = new AskFlow(this, readSettings(), dialogs);
        AskFlow.Answer answer =
                new AskFlow.Answer() {
                    @Override
                    public void answer(boolean granted) {
                        reply(granted);
                        finish();
                    }
                };
        // The system may still be asking for a window that is gone.
        if (!flow.resume(state, answer)) {
            flow.ask(String.valueOf(getIntent().getStringExtra(CAPABILITY)), answer);
        }
    }

    private void reply(boolean granted) {
        Messenger asker = getIntent().getParcelableExtra(MESSENGER);
        if (asker == null) {
            return;
        }
        Message message = Message.obtain();
        message.setData(new Bundle());
        message.getData().putInt(Delegate.STATUS, granted ? Delegate.ALLOWED : Delegate.BLOCKED);
        try {
            asker.send(message);
        } catch (RemoteException e) {
            Log.i("hull", "Browser is gone", e);
        }
    }

    @Override
    public void onRequestPermissionsResult(int code, String[] names, int[] results) {
        flow.onResult(code);
    }

    @Override
    protected void onSaveInstanceState(Bundle state) {
        super.onSaveInstanceState(state);
        flow.save(state);
    }

    @Override
    protected void onDestroy() {
        // A window that only turns waits on: the one after it has the question.
        if (isFinishing()) {
            flow.close();
        }
        dialogs.close(isFinishing());
        super.onDestroy();
    }
}
