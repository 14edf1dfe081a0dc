package jollyhull.shell;

import android.app.Activity;
import android.security.KeyChain;
import android.security.KeyChainAliasCallback;
import android.security.KeyChainException;
import android.util.Log;
import android.webkit.ClientCertRequest;

import java.security.PrivateKey;
import java.security.cert.X509Certificate;

/**
 * A host that wants a certificate of the user's: one of those that the device keeps, chosen in the
 * system's own dialog.
 */
final class Certificates {
    private Certificates() {}

    static void choose(final Activity activity, final ClientCertRequest request) {
        KeyChain.choosePrivateKeyAlias(
                activity,
                new KeyChainAliasCallback() {
                    @Override
                    public void alias(String alias) {
                        answer(activity, request, alias);
                    }
                },
                request.getKeyTypes(),
                request.getPrincipals(),
                request.getHost(),
                request.getPort(),
                null);
    }

    /** On the key store's own thread, which may wait for it. */
    private static void answer(Activity activity, ClientCertRequest request, String alias) {
        if (alias == null) {
            request.ignore();
            return;
        }
        try {
            PrivateKey key = KeyChain.getPrivateKey(activity, alias);
            X509Certificate[] chain = KeyChain.getCertificateChain(activity, alias);
            request.proceed(key, chain);
        } catch (KeyChainException | InterruptedException e) {
            Log.w("hull", "Certificate unreadable", e);
            request.ignore();
        }
    }
}
