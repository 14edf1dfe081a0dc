package jollyhull.shell;

import android.app.Activity;
import android.content.Intent;
import android.content.pm.PackageManager;
import android.os.Bundle;
import android.os.Handler;
import android.os.Looper;

import org.json.JSONException;
import org.json.JSONObject;

/**
 * Takes a payment for a page that a browser shows (Payment Request API, as browsers ask apps: an
 * activity for the action PAY, with the page's data by payment method). Only the browser that this
 * app has opened as verified may ask.
 */
public class PayActivity extends Activity {
    /** The payment method of the Android store. */
    static final String METHOD = "https://play.google.com/billing";

    static final String METHOD_DATA = "methodData";
    static final String METHOD_NAME = "methodName";
    static final String DETAILS = "details";

    Till till() {
        return StoreTill.open(ShellSettings.of(this));
    }

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        setResult(RESULT_CANCELED);
        String item = mayAsk() ? itemOf(getIntent().getBundleExtra(METHOD_DATA)) : null;
        // After the process has ended, nobody knows what became of a sheet that was open: the page
        // lists what was bought.
        if (item == null || state != null) {
            finish();
            return;
        }
        final Handler main = new Handler(Looper.getMainLooper());
        till().buy(
                        this,
                        item,
                        new Till.Answer<String>() {
                            @Override
                            public void give(final int code, final String token) {
                                main.post(
                                        new Runnable() {
                                            @Override
                                            public void run() {
                                                end(code, token);
                                            }
                                        });
                            }
                        });
    }

    private boolean mayAsk() {
        String caller = getCallingPackage();
        if (caller == null) {
            return false;
        }
        try {
            int uid = getPackageManager().getApplicationInfo(caller, 0).uid;
            return TrustedBrowser.isCaller(this, uid);
        } catch (PackageManager.NameNotFoundException e) {
            return false;
        }
    }

    /** The product that a page wants to sell; null where it does not say one. */
    private static String itemOf(Bundle methods) {
        String data = methods == null ? null : methods.getString(METHOD);
        try {
            String item = data == null ? "" : new JSONObject(data).optString("sku");
            return item.isEmpty() ? null : item;
        } catch (JSONException e) {
            return null;
        }
    }

    private void end(int code, String token) {
        if (code == Till.OK) {
            try {
                JSONObject details =
                        new JSONObject().put("purchaseToken", token).put("token", token);
                setResult(
                        RESULT_OK,
                        new Intent()
                                .putExtra(METHOD_NAME, METHOD)
                                .putExtra(DETAILS, details.toString()));
            } catch (JSONException e) {
                throw new AssertionError(e);
            }
        }
        finish();
    }
}
