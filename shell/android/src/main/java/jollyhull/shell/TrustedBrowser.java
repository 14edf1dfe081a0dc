package jollyhull.shell;

import android.content.Context;
import android.content.SharedPreferences;
import android.content.pm.PackageInfo;
import android.content.pm.PackageManager;
import android.content.pm.Signature;
import android.util.Base64;

import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;

/**
 * The browser that this app has opened as verified: its name and its certificates, so that no other
 * can pass for it.
 */
final class TrustedBrowser {
    private static final String NAME = "browser.name";
    private static final String CERTIFICATES = "browser.certificates";

    private TrustedBrowser() {}

    private static SharedPreferences store(Context context) {
        return context.getSharedPreferences("hull", Context.MODE_PRIVATE);
    }

    static void remember(Context context, String name) {
        store(context)
                .edit()
                .putString(NAME, name)
                .putString(CERTIFICATES, certificates(context, name))
                .apply();
    }

    static void forget(Context context) {
        store(context).edit().remove(NAME).remove(CERTIFICATES).apply();
    }

    static boolean isCaller(Context context, int uid) {
        String name = store(context).getString(NAME, null);
        String known = store(context).getString(CERTIFICATES, null);
        String[] callers = context.getPackageManager().getPackagesForUid(uid);
        if (name == null || known == null || callers == null) {
            return false;
        }
        for (String caller : callers) {
            if (caller.equals(name)) {
                return known.equals(certificates(context, caller));
            }
        }
        return false;
    }

    /** SHA-256 of each signer's certificate; null where the package is not there. */
    @SuppressWarnings("deprecation")
    private static String certificates(Context context, String name) {
        try {
            // The newer call is missing before API 28; both give the signers that the system has
            // checked.
            PackageInfo info =
                    context.getPackageManager().getPackageInfo(name, PackageManager.GET_SIGNATURES);
            if (info.signatures == null) {
                return null;
            }
            StringBuilder all = new StringBuilder();
            for (Signature signature : info.signatures) {
                byte[] digest =
                        MessageDigest.getInstance("SHA-256").digest(signature.toByteArray());
                all.append(Base64.encodeToString(digest, Base64.NO_WRAP)).append(' ');
            }
            return all.toString();
        } catch (PackageManager.NameNotFoundException e) {
            return null;
        } catch (NoSuchAlgorithmException e) {
            throw new AssertionError(e);
        }
    }
}
