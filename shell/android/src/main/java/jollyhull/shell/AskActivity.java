package jollyhull.shell;

import android.app.Activity;
import android.content.Context;
import android.content.Intent;
import android.os.Bundle;
import android.os.Message;
import android.os.Messenger;
import android.os.RemoteException;

/** Asks over the browser's pages for what the app itself needs: its reason first, then the system's question. */
public class AskActivity extends Activity {
    /** Where the answer goes; the browsers' own name for it. */
    static final String MESSENGER = "messenger";

    private static final String CAPABILITY = "capability";

    private AskFlow flow;

    static Intent intent(Context context, String capability) {
        return new Intent(context, AskActivity.class).putExtra(CAPABILITY, capability);
    }

    ShellSettings readSettings() {
        return ShellSettings.load(getAssets());
    }

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        flow = new AskFlow(this, readSettings());
        flow.ask(String.valueOf(getIntent().getStringExtra(CAPABILITY)), new AskFlow.Answer() {
            @Override
            public void answer(boolean granted) {
                reply(granted);
                finish();
            }
        });
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
            // Nobody waits for the answer any more.
            return;
        }
    }

    @Override
    public void onRequestPermissionsResult(int code, String[] names, int[] results) {
        flow.onResult(code);
    }
}
