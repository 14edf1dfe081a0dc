package jollyhull.shell;

import android.webkit.GeolocationPermissions;
import android.webkit.PermissionRequest;
import android.webkit.WebChromeClient;

/** What a page asks of its surroundings. Nothing that the package does not declare is ever granted. */
final class PageChrome extends WebChromeClient {
    @Override
    public void onGeolocationPermissionsShowPrompt(String origin, GeolocationPermissions.Callback callback) {
        // Answered, so that the page learns of the refusal instead of waiting for ever.
        callback.invoke(origin, false, false);
    }

    @Override
    public void onPermissionRequest(PermissionRequest request) {
        request.deny();
    }
}
