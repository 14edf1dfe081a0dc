package jollyhull.shell;

import android.app.Activity;
import android.content.Intent;
import android.content.pm.PackageManager;
import android.content.pm.ResolveInfo;
import android.net.Uri;

/**
 * Requests to sign in at somebody else (OAuth 2.0, RFC 6749, section 4.1.1), who may refuse to be
 * shown inside of an app: a tab of the user's browser has the user's sign-ins, and leads back by an
 * address of the app's (RFC 8252).
 */
final class SignIn {
    private SignIn() {}

    /** Where the answer of a request goes; null where an address is no such request. */
    static Uri answerOf(Uri url) {
        if (!OutsideLinks.schemeOf(url).equals("https")
                || url.isOpaque()
                || url.getQueryParameter("response_type") == null
                || url.getQueryParameter("client_id") == null) {
            return null;
        }
        String answer = url.getQueryParameter("redirect_uri");
        return answer == null ? null : Uri.parse(answer);
    }

    /** Whether the system hands an address to this app, so that a browser leads back by it. */
    static boolean leadsHere(Activity activity, Uri answer) {
        ResolveInfo found =
                activity.getPackageManager()
                        .resolveActivity(
                                new Intent(Intent.ACTION_VIEW, answer)
                                        .addCategory(Intent.CATEGORY_BROWSABLE),
                                PackageManager.MATCH_DEFAULT_ONLY);
        return found != null
                && found.activityInfo != null
                && activity.getPackageName().equals(found.activityInfo.packageName);
    }
}
